"""Transfer tests on a drive, a network or several targets at once."""
