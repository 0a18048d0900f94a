"""What formats share: their interface, values as they are in a file, records as trees, malformed files."""
