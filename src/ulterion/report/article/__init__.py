"""The review as an article: one page that can be checked."""
