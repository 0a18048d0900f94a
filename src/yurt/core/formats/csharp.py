"""Literals of C#."""

from __future__ import annotations

from yurt.core.formats.common.literals import Language, literal_format

LANGUAGE = Language(
    "// NAMES\nvar rows = new object?[][] {",
    "};",
    ("new object?[] { ", " }"),
    "",
    "null",
    items=("new object?[] { ", " }"),
    long="{}L",
    exact="{}m",
)
FORMAT = literal_format("csharp", ".cs", "C#: an array of arrays, in the order of the fields", LANGUAGE)
