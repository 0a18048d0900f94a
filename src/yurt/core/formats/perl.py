"""Literals of Perl."""

from __future__ import annotations

from yurt.core.formats.common.literals import Language, literal_format

LANGUAGE = Language(
    "[", "]", ("{ ", " }"), " => ", "undef", "1", "0", escape="\\x{{{:x}}}", more={"$": "\\$", "@": "\\@"}
)
FORMAT = literal_format("perl", ".pl", "Perl: a reference to a list of hashes", LANGUAGE)
