"""Requests in flight: buffers, offsets, the timed loops, the ring."""
