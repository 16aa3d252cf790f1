"""What documents say: results, comparisons, claims, soaks.  Numbers and run ids, no words, no hardware."""
