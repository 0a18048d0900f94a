"""Keys, and the columns of other files that have their values."""

from __future__ import annotations

import re

from yurt.core.base.types import INTEGER, TEXT
from yurt.core.drafting.samples.column import Column
from yurt.core.drafting.samples.reading import Sample
from yurt.core.drafting.samples.rows import Reference, Rows

# The share of the values that must be keys.
MOST = 0.98
# The different values that a column without a telling name must have, and their characters on average.
DIFFERENT, LENGTH = 10, 4
GENERAL = ("id", "key", "code", "no", "nr", "number", "name", "uuid", "value")


def keys(sample: Sample) -> list[Column]:
    """Return the columns that could be the key: every row has a value, and none is there twice."""
    return [
        each for each in sample.columns.values()
        if each.type in (TEXT, INTEGER) and each.raw.objects is None and each.count == each.rows and each.unique
        and "." not in each.name
    ]  # fmt: skip


def with_references(tables: dict[str, Rows]) -> None:
    """Find the references between samples, and the key of each."""
    every = {name: keys(rows.sample) for name, rows in tables.items()}
    for name, rows in tables.items():
        for column in rows.columns:
            found = _referred(name, column, every)
            if found is not None:
                rows.references[column.name] = found
    for name, rows in tables.items():
        used = [each.key for one in tables.values() for each in one.references.values() if each.record == name]
        rows.key = used[0] if used else next(iter(every[name]), None)
    for rows in tables.values():
        for name, each in list(rows.references.items()):
            if each.key is not tables[each.record].key:
                del rows.references[name]
            else:
                rows.join(name, tables[each.record])


def _referred(record: str, column: Column, every: dict[str, list[Column]]) -> Reference | None:
    if column.type not in (TEXT, INTEGER) or column.sketch.different < 2 or "." in column.name:
        return None
    found: list[tuple[bool, float, Reference]] = []
    of_itself = _of_itself(column)
    for other, candidates in every.items():
        for number, key in enumerate(candidates):
            if key.type != column.type or key is column or (other == record and not of_itself):
                continue
            by_name = _named(column.name, other, key.name)
            if not by_name and (column.unique or not _tells(column, key)):
                continue
            share = column.sketch.inside(key.sketch)
            if share >= MOST:
                found.append((by_name, -number + share, Reference(column, other, key, by_name, share)))
    if not found:
        return None
    return max(found, key=lambda each: each[:2])[2]


def _of_itself(column: Column) -> bool:
    """Return whether a column may refer to its own record type: `parent_id`, `leader`."""
    words = re.compile(r"parent|manager|leader|boss|head|previous|superior|main|supervisor", re.IGNORECASE)
    return bool(words.search(column.name)) and not column.unique


def _named(column: str, record: str, key: str) -> bool:
    """Return whether the name of a column speaks for a record type: `hut`, `hut_id`, `hutCode` for `huts.id`."""
    plain = _plain(column)
    names = {_plain(record), _singular(_plain(record))}
    if plain in names or any(plain in (name + ending for ending in (*GENERAL, _plain(key))) for name in names):
        return True
    if any(len(name) > 2 and plain.endswith(tuple(name + each for each in ("", *GENERAL))) for name in names):
        return True
    own = _plain(key)
    return plain == own and own not in GENERAL


def _plain(name: str) -> str:
    return re.sub(r"[\W_]+", "", name).casefold()


def _singular(name: str) -> str:
    if name.endswith("ies"):
        return name[:-3] + "y"
    return name[:-1] if name.endswith("s") and not name.endswith("ss") else name


def _tells(column: Column, key: Column) -> bool:
    """Return whether values alone can show a reference: texts of some length, and enough different ones."""
    words = column.words.words
    long = sum(map(len, words[:200])) / max(len(words[:200]), 1) >= LENGTH
    return column.type == TEXT and long and column.sketch.different >= min(DIFFERENT, key.sketch.different)
