"""The sheet as cut: a heightfield swept by the moves, any moment of it, and sections through it."""
