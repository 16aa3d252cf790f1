"""A matrix of setups: run, and what it shows."""
