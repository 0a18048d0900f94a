"""The engine: every value is a pure function of the schema, the seed, and the row number.

`run` prepares a run, and `blocks` makes record batches of it. In between: `streams` (numbers from row numbers),
`distributions`, `permutation` (uniqueness), `heads` (one maker per head), `evaluate` (expressions), `family` (children
of parents), and `table` (one record type).
"""
