"""What formats share: their interface, values as a file has them, records as trees, broken files."""
