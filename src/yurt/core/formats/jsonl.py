"""JSON Lines: one JSON object per line, for programs that read record by record."""

from __future__ import annotations

from yurt.core.formats.common.format import Format
from yurt.core.formats.json import BREAKS, read, records, token
from yurt.core.text.json_text import tokens

FORMAT = Format(
    "jsonl", (".jsonl", ".ndjson"), lambda _record, _names: "", records, "\n", "\n", tokens, token, lambda value: "",
    read, BREAKS, typed=True, nests=True,
)  # fmt: skip
