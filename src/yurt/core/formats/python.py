"""Literals of Python."""

from __future__ import annotations

from yurt.core.formats.common.literals import Language, literal_format

LANGUAGE = Language("[", "]", ("{", "}"), ": ", "None", "True", "False")
FORMAT = literal_format("python", ".py", "Python: a list of dictionaries", LANGUAGE)
