"""Lists of values: which values enter the schema, and how often each is drawn."""

from __future__ import annotations

import re

import numpy as np

from yurt.core.base.data_classes import dataclass
from yurt.core.base.types import INTEGER, TEXT
from yurt.core.drafting.finding.shares import equally_likely, percentages
from yurt.core.drafting.quoting import item
from yurt.core.drafting.samples.column import Column, Numbers

# The most values of a list, and the share of rows that must have one of them.
MOST, COVERED = 40, 0.99
# The most values of a list of numbers; more are a range.
MOST_NUMBERS = 12
# The rows that a value has on average.
ROWS_A_VALUE = 8
LONGEST = 60
# More codes than this are keys of something, which stay out.
CODES = 12
CODE = re.compile(r"(?=.*\d)(?=.*[A-Za-z-])[\w./-]{4,}")


@dataclass(frozen=True)
class Listed:
    """A list, and what is not on it: the number of values and of rows."""

    head: str
    values: tuple[str, ...]
    rare: int = 0
    rows: int = 0


def listed(column: Column, least: int) -> Listed | None:
    """Return the list that a column has values of; None if it has none. Each value is in at least `least` rows."""
    words, counts = column.words.words, column.words.counts
    if column.type != TEXT and column.written:
        # What the file shows is not what the values are.
        return None
    if not words or column.count < ROWS_A_VALUE * min(len(words), MOST):
        return None
    enough = int((counts >= least).sum())
    total = int(counts.sum())
    if not 1 <= enough <= MOST or counts[:enough].sum() < COVERED * total:
        return None
    if enough > CODES and all(CODE.fullmatch(each) for each in words[:enough]):
        return None
    if any(len(each) > LONGEST or not each.strip() or not each.isprintable() for each in words[:enough]):
        return None
    if column.type == INTEGER and (enough > MOST_NUMBERS or _is_range(column)):
        return None
    if column.type.name == "decimal" and enough > MOST_NUMBERS:
        return None
    if column.type not in (TEXT, INTEGER) and column.type.name != "decimal":
        return None
    kept = words[:enough]
    head = one_of(kept, counts[:enough], typed=column.type != TEXT)
    return Listed(head, tuple(kept), len(words) - enough, total - int(counts[:enough].sum()))


def _is_range(column: Column) -> bool:
    """Return whether whole numbers are rather a range: neighbours, or few gaps between them."""
    values = np.unique(column.values)
    span = int(values.max() - values.min())
    return len(values) > 1 and len(values) >= 0.7 * (span + 1)


def one_of(words: list[str], counts: Numbers, typed: bool = False) -> str:
    """Return a list with its weights, in the order of their frequency, unless all are equally likely."""
    items = [item(each, typed) for each in words]
    if len(words) == 1 or equally_likely(counts) or counts.max() < 1.15 * counts.min():
        order = sorted(range(len(words)), key=lambda at: float(words[at]) if typed else words[at])
        return "one of " + " | ".join(items[at] for at in order)
    shares = percentages(counts)
    return "one of " + " | ".join(f"{each} {share}%" for each, share in zip(items, shares, strict=True))
