"""Whole transfers: timed by hand, copied, on one clock."""
