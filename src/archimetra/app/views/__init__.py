"""The three views: plan, section, sequence."""
