"""The simulated bench: links, bridges and media in virtual time, behind the same interface as real targets."""
