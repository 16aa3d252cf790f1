"""Speed and overhead, measured as ratios against a reference in one run."""
