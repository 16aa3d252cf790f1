"""What a reviewer notes by hand."""
