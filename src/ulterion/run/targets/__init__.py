"""What is tested, real or simulated, behind one protocol."""
