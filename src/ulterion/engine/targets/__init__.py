"""Folders, files and devices that are read and written."""
