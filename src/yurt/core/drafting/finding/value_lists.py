"""Columns that go together: each value of one has only one value of the other, such as a city and its region."""

from __future__ import annotations

import numpy as np

from yurt.core.base.data_classes import dataclass
from yurt.core.base.types import BOOLEAN, INTEGER, TEXT
from yurt.core.drafting.draft import ListDraft
from yurt.core.drafting.finding.listed import listed
from yurt.core.drafting.finding.shares import equally_likely, percentages
from yurt.core.drafting.long_lists import plural_of
from yurt.core.drafting.samples.column import Column
from yurt.core.drafting.samples.rows import Rows, near

# The most rows of a list, the rows that each value needs at least on average, and the share in which the values agree.
MOST, AGREE = 40, 0.998


@dataclass(frozen=True)
class Together:
    """Columns with values of one list; the first is the one that decides."""

    columns: tuple[Column, ...]
    list: ListDraft


def together(rows: Rows, columns: list[Column], least: int, used: set[str]) -> list[Together]:
    """Return the groups of columns that go together; each value of a list is in at least `least` rows."""
    usable = [each for each in columns if _usable(each, least)]
    found: list[Together] = []
    taken: set[str] = set()
    for one in sorted(usable, key=lambda each: -len(each.words)):
        if one.name in taken or len(one.words) < 3 or listed(one, least) is None:
            continue
        group = [one]
        for two in near(usable, one):
            if two is not one and two.name not in taken and len(two.words) > 1 and _decides(one, two):
                group.append(two)
        if len(group) < 2:
            continue
        names = sorted(group, key=columns.index)
        taken |= {each.name for each in names}
        found.append(Together(tuple(names), _list(one, names, used)))
        for each in names[1:]:
            rows.let_depend(each.name, set())
    return found


def _usable(column: Column, least: int) -> bool:
    words = column.words
    fits = column.type in (TEXT, INTEGER, BOOLEAN) or column.type.name == "decimal"
    if not fits or column.raw.objects is not None or not 2 <= len(words) <= MOST or column.count < column.rows:
        return False
    return bool(
        words.counts.min() >= least and max(map(len, words.words)) <= 60 and all(map(str.isprintable, words.words))
    )


def _decides(one: Column, two: Column) -> bool:
    """Return whether each value of a column has only one value of another one, and that is no accident."""
    width = len(two.words)
    table = np.bincount(one.words.codes * width + two.words.codes, minlength=len(one.words) * width)
    table = table.reshape(len(one.words), width)
    if width == len(one.words) and (one.yes_no or two.yes_no):
        return False
    return bool(table.max(axis=1).sum() >= AGREE * table.sum() and (table.max(axis=1) >= 2).all() and width > 1)


def _list(one: Column, columns: list[Column], used: set[str]) -> ListDraft:
    rows = []
    for at in range(len(one.words)):
        inside = one.words.codes == at
        row = []
        for each in columns:
            counts = np.bincount(each.words.codes[inside], minlength=len(each.words))
            row.append(each.words.words[int(counts.argmax())])
        rows.append(tuple(row))
    counts = one.words.counts
    weights = [] if equally_likely(counts) else percentages(counts)
    name = plural_of(one.name.rpartition(".")[2])
    while name in used:
        name += "_list"
    used.add(name)
    texts = tuple(each.type == TEXT for each in columns)
    return ListDraft(name, tuple(each.name.rpartition(".")[2] for each in columns), rows, weights, texts)
