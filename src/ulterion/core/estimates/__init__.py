"""What measured results let one expect elsewhere."""
