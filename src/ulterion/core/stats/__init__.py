"""Estimates, intervals and verdicts."""
