"""Distributions over a grid, one module each. Modules are light: numerics are imported where values are drawn.

A distribution is found by the name of its module, which holds one `DISTRIBUTION`. A grid has `n` positions, 0 to n-1;
each covers the interval from half a step below it to half a step above. `inverse` takes uniform numbers in (0, 1) and
returns positions in (-0.5, n-0.5), which are then rounded. Truncation rescales the numbers to the share of the
distribution inside the grid, so that nothing piles up at the ends. Inversions: L. Devroye, "Non-Uniform Random Variate
Generation" (1986), chapter II.
"""
