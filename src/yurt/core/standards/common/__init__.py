"""What all documents have in common."""
