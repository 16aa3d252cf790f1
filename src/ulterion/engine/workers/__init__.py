"""Processes that issue requests, watched and never waited for in vain."""
