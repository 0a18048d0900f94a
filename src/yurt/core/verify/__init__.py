"""Holds existing data against a schema.

Written apart from the engine, as its judge: what is allowed is read from the model a second time here. Expressions mean
the same in both, so both use `core/columns`.
"""
