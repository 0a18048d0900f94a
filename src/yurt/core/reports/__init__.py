"""Descriptions of a schema, of its data, and of the kinds, for people."""
