"""Pockets: areas, loops and lines, walls, the rest of larger bits."""
