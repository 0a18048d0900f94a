"""Test cases derived from a schema by the techniques of ISO/IEC/IEEE 29119-4.

Each technique is a module that yields cases: what changes in an otherwise valid record, and the expected outcome.
`stage` makes the records with the engine, `suite` writes them.
"""
