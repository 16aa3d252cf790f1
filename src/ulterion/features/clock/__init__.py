"""Transfers timed by hand, and several on one clock."""
