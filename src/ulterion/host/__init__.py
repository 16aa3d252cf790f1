"""What a machine shows: /proc, /sys and friends, always under a root folder that tests replace."""
