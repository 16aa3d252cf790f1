"""Carrying a run out: opening, checks, keeping."""
