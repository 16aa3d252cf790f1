"""What results mean: time of work, power, money, another port."""
