"""Moving and timing bytes between two machines: our own protocol, described in docs/reference/files.md."""
