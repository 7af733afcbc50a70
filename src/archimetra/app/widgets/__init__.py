"""Small widgets that show a value and say what the user wants."""
