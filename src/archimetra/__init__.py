"""Archimetra: plan, see and check what a CNC router cuts, before it costs a board."""

__version__ = "0.1.0"
