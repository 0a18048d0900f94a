"""Facts that follow from a schema before anything is generated: types, order, cardinality, restrictions,
correlations.
"""
