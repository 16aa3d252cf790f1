"""Setups against their baseline."""
