"""Forms of the Board page."""
