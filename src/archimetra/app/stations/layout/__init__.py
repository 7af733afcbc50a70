"""Panels of the Layout page."""
