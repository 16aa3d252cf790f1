"""The engine for other systems than Linux: requests by threads, and a module for each system's way past its cache."""
