"""What is said, in plain text, without a terminal."""
