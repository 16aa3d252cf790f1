"""Standard links, chains of them, and their ceilings."""
