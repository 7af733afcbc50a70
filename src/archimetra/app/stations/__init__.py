"""Pages of the stations in the rail."""
