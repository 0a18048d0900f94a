"""What every room needs and what does not depend on schemas: errors, types, arrays, threads, files."""
