"""Few rows in which all combinations of any t factors stand (ISO/IEC/IEEE 29119-4, 5.2.5: combinatorial testing).

A factor is its number of levels; a row has one level of each factor, counted from 0, and -1 where any will do.
"""
