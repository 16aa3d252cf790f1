"""Processes that issue requests, supervised, so that none is waited for in vain."""
