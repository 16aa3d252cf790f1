"""What run documents say, for several subjects: numbers and run ids, no words."""
