"""Chamfers."""
