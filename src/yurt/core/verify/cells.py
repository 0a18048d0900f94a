"""Lists as they are in a file: JSON arrays and XML elements, or JSON inside a cell."""

from __future__ import annotations

from typing import Any

import numpy as np

from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow, numbers
from yurt.core.columns.column import Mask
from yurt.core.formats.common.raw import ARRAY, CELL, Raw
from yurt.core.formats.json.reading import DECODER


def list_in_cell(raw: Raw) -> tuple[list[list[Any]], Mask]:
    """Return the list of each row (empty if there is none), and where a value is not a list."""
    size = len(raw.sorts)
    lists: list[list[Any]] = [[]] * size
    wrong = ~raw.missing & (raw.sorts != ARRAY) & (raw.sorts != CELL)
    if raw.objects is not None:
        for at in np.flatnonzero(raw.sorts == ARRAY).tolist():
            lists[at] = raw.objects[at]
    cells = np.flatnonzero(raw.sorts == CELL)
    if len(cells):
        # Few lists occur in many cells: each is parsed once.
        found = pc.dictionary_encode(pc.take(raw.texts, arrow(cells)))
        parsed = [_parsed(str(each)) for each in found.dictionary.to_pylist()]
        codes = numbers(found.indices, np.int32)
        wrong[cells] = np.array([not isinstance(each, list) for each in parsed], dtype=np.bool_)[codes]
        for at, code in zip(cells.tolist(), codes.tolist(), strict=True):
            lists[at] = parsed[code] if isinstance(parsed[code], list) else []
    return lists, wrong


def _parsed(text: str) -> Any:
    """Return the JSON of a cell; an empty XML element is an empty list."""
    if not text:
        return []
    try:
        found, end = DECODER.raw_decode(text)
    except (ValueError, RecursionError):
        return None
    return found if end == len(text) else None
