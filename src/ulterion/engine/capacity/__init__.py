"""Is the capacity really there?  Written all over with places, and read back past the caches."""
