"""Data files, read as they are: what stands in them may be wrong in any way, and the judge says how."""
