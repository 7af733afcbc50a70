"""Paths, regions, offsets and arcs. Knows no jobs, files or screens. Lengths are mm."""
