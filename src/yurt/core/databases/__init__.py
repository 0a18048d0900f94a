"""Databases by URL: their tables are made, filled, and read.

One module for each database says how rows get in and out fast; what is the same for all of them is in `common`.
"""
