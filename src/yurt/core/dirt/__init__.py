"""Realistic errors in bulk data, each with its answer: its place, the original value, and the value with the error."""
