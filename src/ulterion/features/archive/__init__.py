"""All reviews together: adding, searching, charting."""
