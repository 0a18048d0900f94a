"""What follows from a schema before anything is made: types, order, cardinality, restrictions, correlations."""
