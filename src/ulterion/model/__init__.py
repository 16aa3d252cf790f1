"""What is written down: review.toml, run documents, the journal, and the folder that holds them."""
