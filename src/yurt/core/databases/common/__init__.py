"""What all databases have in common."""
