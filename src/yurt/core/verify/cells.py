"""Lists as a file has them: arrays of JSON and elements of XML, or JSON inside a cell."""

from __future__ import annotations

import json
from typing import Any

import numpy as np

from yurt.core.columns.column import Mask
from yurt.core.reading.json import DECODER
from yurt.core.reading.raw import ARRAY, CELL, Raw


def list_in_cell(raw: Raw) -> tuple[list[list[Any]], Mask]:
    """Return the list of each row (empty where there is none), and where a value is no list."""
    size = len(raw.sorts)
    lists: list[list[Any]] = [[]] * size
    wrong = ~raw.missing & (raw.sorts != ARRAY) & (raw.sorts != CELL)
    if raw.objects is not None:
        for at in np.flatnonzero(raw.sorts == ARRAY).tolist():
            lists[at] = raw.objects[at]
    texts = raw.texts.to_pylist() if bool((raw.sorts == CELL).any()) else []
    for at in np.flatnonzero(raw.sorts == CELL).tolist():
        found = _parsed(str(texts[at]))
        if isinstance(found, list):
            lists[at] = found
        else:
            wrong[at] = True
    return lists, wrong


def _parsed(text: str) -> Any:
    """Return what a cell has as JSON; an element of XML without anything in it is an empty list."""
    if not text:
        return []
    try:
        found, end = DECODER.raw_decode(text)
    except (ValueError, RecursionError):
        return None
    return found if end == len(text) else None


__all__ = ["json", "list_in_cell"]
