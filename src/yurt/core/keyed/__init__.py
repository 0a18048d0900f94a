"""Keyed functions over whole columns: what is the same for everyone with a secret, and nothing to anyone without."""
