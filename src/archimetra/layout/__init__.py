"""How work is laid out on sheets: how many fit, and nesting."""
