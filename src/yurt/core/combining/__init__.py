"""Arrays: few rows that contain all combinations of any t factors (ISO/IEC/IEEE 29119-4, 5.2.5).

A factor is its number of levels; a row has one level of each factor, counted from 0, or -1 if any will do.
"""
