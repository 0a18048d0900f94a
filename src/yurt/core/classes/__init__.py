"""Model classes of Python: their fields as lines of a schema, and instances made of records."""
