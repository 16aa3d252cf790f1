"""The review as a page that can be published and checked."""
