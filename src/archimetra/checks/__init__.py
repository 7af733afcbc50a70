"""What would spoil work, told before it is cut: one function per finding, in one table."""
