"""Checks existing data against a schema.

Written apart from the engine, as its validator: it reads a second time, from the model, what is allowed. Expressions
mean the same in both, so both use `core/columns`.
"""
