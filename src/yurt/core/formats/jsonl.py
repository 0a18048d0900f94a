"""JSON Lines: one JSON object per line, for programs that read record by record."""

from __future__ import annotations

from yurt.core.formats.json.writing import json_format

FORMAT = json_format("jsonl", (".jsonl", ".ndjson"), "one JSON object per line", array=False)
