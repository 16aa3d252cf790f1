"""All reviews together: what was measured of what, searchable; the documents stay the truth."""
