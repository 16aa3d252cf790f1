"""Streams, environment and options that commands share; errors to exit statuses."""
