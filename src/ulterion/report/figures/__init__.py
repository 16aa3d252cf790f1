"""Figures for publication, drawn without a display."""
