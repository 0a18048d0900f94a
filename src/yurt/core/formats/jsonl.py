"""JSON Lines: one JSON object a line, for programs that read record by record."""

from __future__ import annotations

from yurt.core.formats.format import Format
from yurt.core.formats.json import records
from yurt.core.text.json_text import tokens

JSON_LINES = Format(
    "jsonl", ".jsonl", lambda _record, _names: "", records, "\n", "\n", typed=True, nests=True, finish=tokens
)
