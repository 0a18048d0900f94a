"""Columns of values, and what expressions make of them: the meaning of the language, shared by engine and validator."""
