"""Tiles: a board larger than the machine cut in several setups. Planned moves are parted, never the artwork, so that both sides of a seam
agree by construction."""
