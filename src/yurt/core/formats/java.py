"""Literals of Java."""

from __future__ import annotations

from yurt.core.formats.common.literals import Language, literal_format

LANGUAGE = Language(
    "// NAMES\nObject[][] rows = {",
    "};",
    ("{", "}"),
    "",
    "null",
    items=("java.util.List.of(", ")"),
    long="{}L",
    exact='new java.math.BigDecimal("{}")',
)
FORMAT = literal_format("java", ".java", "Java: an array of arrays, in the order of the fields", LANGUAGE)
