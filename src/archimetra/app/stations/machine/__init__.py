"""Parts of the Machine page."""
