"""Seeded series of hostile inputs, by what they are about."""
