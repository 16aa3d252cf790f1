"""What a soak's trace says: levels, falls and their causes, where temperatures settle, steady states."""
