"""Undercut slots."""
