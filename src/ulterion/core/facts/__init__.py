"""What is known of targets, devices and benches, and what differed between two runs."""
