"""Holes: drilled, pecked, bored."""
