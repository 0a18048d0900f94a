"""Columns of values, and expressions over them: the meaning of the language, shared by engine and validator."""
