"""Real files copied, timed and proven intact."""
