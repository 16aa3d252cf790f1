"""Measured against advertised."""
