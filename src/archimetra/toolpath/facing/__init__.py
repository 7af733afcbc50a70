"""Facing."""
