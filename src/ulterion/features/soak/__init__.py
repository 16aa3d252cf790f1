"""A long load with throughput and temperature."""
