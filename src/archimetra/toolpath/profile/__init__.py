"""Profiles: contours beside outlines, starts, tabs, leads."""
