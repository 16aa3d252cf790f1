"""What a test does, and what its passes gave."""
