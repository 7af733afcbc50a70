"""Keeps results up to date: what must be replanned, worker processes, cache, cancel, autosave. Knows no Qt."""
