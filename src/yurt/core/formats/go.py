"""Literals of Go."""

from __future__ import annotations

from yurt.core.formats.common.literals import Language, literal_format

LANGUAGE = Language("[]map[string]any{", "}", ("{", "}"), ": ", "nil", items=("[]any{", "}"))
FORMAT = literal_format("go", ".go", "Go: a slice of maps", LANGUAGE)
