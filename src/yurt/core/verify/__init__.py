"""Validates existing data against a schema.

Written independently of the engine: it derives from the model a second time what is allowed. Expressions have the same
meaning in both, so both use `core/columns`.
"""
