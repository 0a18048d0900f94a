"""Test cases by the techniques of ISO/IEC/IEEE 29119-4, derived from what a schema allows.

Each technique is a module that yields cases: what is changed in a record that is otherwise valid, and what
must come of it. `stage` makes the records around the changes, with the engine; `suite` writes them.
"""
