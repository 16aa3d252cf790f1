"""What is tested, real or simulated, behind one protocol; small ones beside it for heat, long loads and shared passes."""
