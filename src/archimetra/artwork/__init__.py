"""Readers of artwork: bytes in, a ``Drawing`` in mm and a report out. Knows no jobs."""
