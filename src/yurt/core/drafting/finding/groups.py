"""Pairs of fields whose values never repeat together."""

from __future__ import annotations

import numpy as np

from yurt.core.base.types import DATE, INTEGER, TEXT
from yurt.core.drafting.draft import FieldDraft
from yurt.core.drafting.samples.column import Column
from yurt.core.drafting.samples.rows import NEAR, Rows

# The rows of a sample, and the pairs of rows that would be the same by chance (the birthday problem).
LEAST_ROWS, BY_CHANCE = 50, 30


def unique_pairs(rows: Rows, fields: list[FieldDraft], decided: set[str]) -> list[tuple[str, ...]]:
    """Return the first pair of fields without repeats where chance would bring many; `decided` are left out.

    Fields with a distribution are left out as well: fields that are unique together take each value at most once.
    """
    sample = rows.sample
    if not sample.whole or sample.total < LEAST_ROWS or rows.per is not None:
        return []
    shaped = {
        each.name
        for each in fields
        if "%" in each.head or any(one.startswith(("usually", "tracks")) for one in each.clauses)
    }
    usable = [each for each in sample.columns.values() if each.name not in shaped | decided and _usable(each)]
    for at, one in enumerate(usable):
        for two in usable[max(0, at - NEAR) : at]:
            pairs = one.words.codes * (len(two.words) + 1) + two.words.codes
            same = [float(((each.words.counts / one.rows) ** 2).sum()) for each in (one, two)]
            expected = one.rows * (one.rows - 1) / 2 * same[0] * same[1]
            if expected >= BY_CHANCE and len(np.unique(pairs)) == one.rows:
                return [(two.name, one.name)]
    return []


def _usable(column: Column) -> bool:
    plain = column.type in (TEXT, INTEGER, DATE) and column.raw.objects is None and "." not in column.name
    return plain and column.count == column.rows and not column.unique and column.sketch.different >= 3
