"""Realistic errors in bulk data, each with its answer: where it is, what stood there, what stands there now."""
