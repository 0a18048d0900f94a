"""What is said of a schema, of its data and of the kinds, for a person to read."""
