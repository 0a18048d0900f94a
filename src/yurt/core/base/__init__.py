"""What every room needs and that knows nothing of schemas: errors, types, arrays, threads, files."""
