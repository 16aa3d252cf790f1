"""Words and tables laid out on a terminal."""
