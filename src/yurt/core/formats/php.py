"""Literals of PHP."""

from __future__ import annotations

from yurt.core.formats.common.literals import Language, literal_format

LANGUAGE = Language("<?php\n$rows = [", "];", ("[", "]"), " => ", "null", escape="\\x{:02x}", more={"$": "\\$"})
FORMAT = literal_format("php", ".php", "PHP: an array of arrays with names", LANGUAGE)
