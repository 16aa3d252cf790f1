"""The engine where there is no Linux: requests by threads, each system's own way past its cache in one module of its own."""
