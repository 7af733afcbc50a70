"""The window: plan, section and sequence of the same moment, and the stations' pages."""
