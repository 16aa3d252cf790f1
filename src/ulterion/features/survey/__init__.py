"""What this machine sees, and how a review is started."""
