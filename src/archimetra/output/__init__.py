"""What leaves for the machine: controllers, G-code written and read back, files, times."""
