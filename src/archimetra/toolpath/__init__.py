"""Planners: shapes and a cut in, a ``Toolpath`` and findings out. One module per kind of cut."""
