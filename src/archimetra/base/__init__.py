"""What every layer shares and which knows nothing of any of them: errors and findings."""
