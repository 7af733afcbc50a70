"""The Artwork station: one page, a panel for each kind of work on it."""
