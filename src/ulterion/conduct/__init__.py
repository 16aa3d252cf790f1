"""Carrying a run out: from a request to a document."""
