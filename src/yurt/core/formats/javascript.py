"""Literals of JavaScript."""

from __future__ import annotations

from yurt.core.formats.common.literals import Language, literal_format

LANGUAGE = Language("[", "]", ("{ ", " }"), ": ", "null")
FORMAT = literal_format("javascript", ".js", "JavaScript: an array of objects", LANGUAGE)
