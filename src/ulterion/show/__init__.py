"""What answers are made of, before a terminal or a page sets them; number formats; what figures share."""
