"""Keyed streams of random numbers, permutations, and the distributions that are inverted over a grid."""
