"""What is plugged in where there is no Linux: asked of the system's own programs, and parsed by pure functions from what they say."""
