"""Moving and timing bytes between two machines: our own protocol, described in docs/reference/files.md."""

PORT = 47610
"""Where a peer listens unless told otherwise; below the ports that systems draw for themselves (RFC 6335, 6)."""
