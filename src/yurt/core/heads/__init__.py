"""What the language knows of each head, one module per head: how it is read, its data type, its cardinality, its
checks.

A head is found by the name of its module, which holds one `HEAD`. The engine makes the values in a module of the same
name (`yurt.core.engine.heads`), and the validator has its own check, separate on purpose.
"""
