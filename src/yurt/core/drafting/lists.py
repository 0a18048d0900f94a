"""Columns of lists: of single values, or of records."""

from __future__ import annotations

import json

import numpy as np

from yurt.core.base.data_classes import dataclass
from yurt.core.base.types import TEXT
from yurt.core.drafting.draft import FieldDraft
from yurt.core.drafting.finding.plain import line_of
from yurt.core.drafting.finding.shares import percent
from yurt.core.drafting.samples.column import Column
from yurt.core.drafting.samples.sketch import Sketch
from yurt.core.drafting.samples.typed import with_type
from yurt.core.formats.common.raw import ARRAY, OBJECT, Raw, Value, of_values
from yurt.core.language.over_columns import field_names

# The share of texts that must be JSON arrays, and the elements that are looked at.
MOST, ELEMENTS = 0.99, 50_000


@dataclass(frozen=True)
class Elements:
    """The elements of the lists of a column, with the number of elements of each row that has a list."""

    values: list[Value]
    sizes: list[int]
    distinct: bool


def elements_of(column: Column) -> Elements | None:
    """Return the elements of a column of lists, or of texts that are JSON arrays; None for other columns."""
    if column.raw.objects is not None:
        rows = [each for each, sort in zip(column.raw.objects, column.raw.sorts.tolist(), strict=True) if sort == ARRAY]
        if len(rows) < column.count or not rows:
            return None
    elif column.type == TEXT and column.count:
        texts = column.texts.to_pylist()
        if not texts[0].startswith("[") or sum(each.startswith("[") for each in texts) < MOST * len(texts):
            return None
        rows = [found for each in texts if (found := _array(each)) is not None]
        if len(rows) < MOST * len(texts):
            return None
    else:
        return None
    sizes = [len(each) for each in rows]
    keyed = [[str(one) for one in each] for each in rows]
    distinct = max(sizes, default=0) > 1 and all(len(set(each)) == len(each) for each in keyed)
    return Elements([one for each in rows for one in each][:ELEMENTS], sizes, distinct)


def _array(text: str) -> list[Value] | None:
    try:
        found = json.loads(text, parse_float=str, parse_int=str)
    except (ValueError, RecursionError):
        return None
    return found if isinstance(found, list) else None


def list_field(column: Column, least: int) -> list[FieldDraft] | None:
    """Return the fields of a column of lists: one, or one with the fields of the records inside."""
    found = elements_of(column)
    if found is None or any(isinstance(each, list) for each in found.values):
        return None
    low, high = min(found.sizes), max(found.sizes)
    size = f"{low}..{high}" if low < high else str(low)
    if found.values and all(isinstance(each, dict) for each in found.values):
        return _of_records(column, found.values, size, least)
    raw = _raw(found.values)
    inner = line_of(_column(column, raw), least)
    gone = int(raw.missing.sum())
    clauses = [*inner.clauses, *([f"missing {percent(gone / len(raw.sorts))}"] if gone else [])]
    inside = (
        inner.head if not clauses and not inner.head.startswith("one of") else f"({', '.join([inner.head, *clauses])})"
    )
    inside = inner.head if not clauses else inside
    draft = FieldDraft(column.name, column.title, f"list {size} of {inside}", notes=inner.notes)
    if found.distinct and _would_repeat(raw, found.sizes):
        draft.head = f"list {size} of ({', '.join([inner.head, *clauses])})"
        draft.clauses = ["distinct"]
    draft.found = f"lists of {size} values"
    return [draft]


def _would_repeat(raw: Raw, sizes: list[int]) -> bool:
    """Return whether some list would have a value twice if its values were drawn independently."""
    words = _column(None, raw).words
    shares = words.counts / max(words.counts.sum(), 1)
    pairs = sum(each * (each - 1) / 2 for each in sizes)
    return float((shares**2).sum() * pairs) >= 10


def _raw(values: list[Value]) -> Raw:
    plain = [str(each) if isinstance(each, str) else each for each in values]
    found = of_values([None if each is None else each for each in plain])
    return Raw(found.texts, found.sorts)


def _column(around: Column | None, raw: Raw) -> Column:
    sketch = Sketch()
    sketch.add(raw)
    title = around.title if around is not None else ""
    return with_type(Column(title, title, raw, sketch))


def _of_records(column: Column, values: list[Value], size: str, least: int) -> list[FieldDraft]:
    fields = [FieldDraft(column.name, column.title, nested=True, list_size=size, found=f"lists of {size} records")]
    names: dict[str, None] = {}
    for each in values:
        names.update(dict.fromkeys(each))
    for title, name in field_names(list(names)).items():
        raw = of_values([_plain(each.get(title)) for each in values])
        if ((raw.sorts == OBJECT) | (raw.sorts == ARRAY)).any():
            raw = Raw(raw.texts, np.where(raw.sorts > 1, 7, raw.sorts).astype(np.uint8))
        inner = _column(column, Raw(raw.texts, raw.sorts))
        inner.title, inner.name = title, f"{column.name}.{name}"
        line = line_of(inner, least)
        clauses = list(line.clauses)
        if inner.count < inner.rows:
            clauses.append(f"missing {percent(1 - inner.count / inner.rows)}")
        fields.append(
            FieldDraft(inner.name, title, line.head, clauses, others=line.others, notes=line.notes, found=line.found)
        )
    return fields


def _plain(value: Value) -> Value:
    return None if value is None else value
