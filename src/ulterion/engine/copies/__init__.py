"""Copies of real files: what there is, each file copied and proven, and both ends alone."""
