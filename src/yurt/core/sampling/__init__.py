"""Keyed streams of random numbers, permutations, and draws from distributions over a grid."""
