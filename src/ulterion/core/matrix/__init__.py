"""A matrix of cells: its grid and order, what each factor does, and who is best."""
