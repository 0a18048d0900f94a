"""Samples: the columns of files and tables, read in a single pass."""
