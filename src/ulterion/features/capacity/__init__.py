"""Proving that a capacity is really there."""
