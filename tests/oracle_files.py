"""Reads the files of cases and records for the independent validator, with Python's own readers and lxml."""

from __future__ import annotations

import csv
import io
import json
import re
from collections.abc import Iterator
from decimal import Decimal
from typing import Any

from lxml import etree


def read(data: bytes, form: str) -> list[dict[str, Any]]:
    """Return the records of a file, with nested records as dicts; a missing CSV cell is None."""
    if form == "json":
        found: list[dict[str, Any]] = json.loads(data, parse_float=Decimal)
        return found
    if form == "xml":
        return [_element(each) for each in etree.fromstring(data)]
    rows = []
    for cells, header in _cells(data):
        row: dict[str, Any] = {}
        for name, cell in zip(header, cells, strict=True):
            *above, last = name.split(".")
            inside = row
            for each in above:
                inside = inside.setdefault(each, {})
            inside[last] = cell
        rows.append({name: _whole(each) for name, each in row.items()})
    return rows


def _whole(value: Any) -> Any:
    """Return None for a record whose values are all missing."""
    if not isinstance(value, dict):
        return value
    found = {name: _whole(each) for name, each in value.items()}
    return found if any(each is not None for each in found.values()) else None


def _cells(data: bytes) -> Iterator[tuple[list[str | None], list[str]]]:
    """Read CSV, keeping a quoted empty cell apart from an empty one."""
    marked = re.sub(r'(^|,|\n)""(?=,|\r|\n|$)', r'\1"\\e"', data.decode())
    marked = re.sub(r'(^|,|\n)""(?=,|\r|\n|$)', r'\1"\\e"', marked)
    header, *rows = csv.reader(io.StringIO(marked, newline=""))
    for cells in rows:
        yield ["" if each == "\\e" else each or None for each in cells], header


class Nothing(str):
    """The content of an empty XML element: an empty text or an empty list."""


def _element(element: Any) -> Any:
    children = [each for each in element if isinstance(each.tag, str)]
    if children and all(each.tag == "value" for each in children):
        return [_element(each) for each in children]
    if children:
        return {each.tag: _element(each) for each in children}
    return element.text or Nothing()
