"""The parts of the Check page."""
