"""Literals of Ruby."""

from __future__ import annotations

from yurt.core.formats.common.literals import Language, literal_format

LANGUAGE = Language("[", "]", ("{ ", " }"), " => ", "nil", more={"#": "\\#"})
FORMAT = literal_format("ruby", ".rb", "Ruby: an array of hashes", LANGUAGE)
