"""Turning finished results into text and figures.  Nothing is computed here but layout."""
