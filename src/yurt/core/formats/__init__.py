"""File formats, one module each: record batches in, bytes out. `by_name` lists them."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from yurt.core.formats.format import Format

NAMES = ("csv", "json", "jsonl", "xml")
SUFFIXES = {".csv": "csv", ".json": "json", ".jsonl": "jsonl", ".ndjson": "jsonl", ".xml": "xml"}


def by_name() -> dict[str, Format]:
    """Return all formats by their name; their modules are imported here, not before."""
    from yurt.core.formats import csv, json, jsonl, xml

    return {each.name: each for each in (csv.CSV, json.JSON, jsonl.JSON_LINES, xml.XML)}
