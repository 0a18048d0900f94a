"""Requested and generated values compared: weights, missing rates, and the shapes of distributions."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from yurt.core import model
from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow
from yurt.core.base.data_classes import dataclass
from yurt.core.base.errors import YurtError
from yurt.core.columns.column import Column
from yurt.core.engine.batch import Batch
from yurt.core.engine.heads.ranged import grid_of
from yurt.core.engine.range_sampling import draw
from yurt.core.engine.resolved import Resolved
from yurt.core.engine.table import Table
from yurt.core.model import Field, Phrase

ROWS = 10_000
EVEN = 4096
BINS = 24
MOST_VALUES = 12


@dataclass(frozen=True)
class Share:
    """One value of a field, or `missing`: the requested share (None if unknown), and the generated one."""

    value: str
    asked: float | None
    drawn: float


@dataclass(frozen=True)
class Shape:
    """The distribution of a field's values from `low` to `high`: shares of equal intervals, requested and generated."""

    low: str
    high: str
    asked: tuple[float, ...] | None
    drawn: tuple[float, ...]


@dataclass(frozen=True)
class FieldShares:
    """The shares of one field."""

    name: str
    shares: tuple[Share, ...]
    shape: Shape | None


def shares_of(table: Table) -> Iterator[FieldShares]:
    """Yield the requested and the generated shares of the fields of a record type, over its first rows."""
    rows = min(table.count, ROWS)
    resolved = Resolved(table, np.arange(rows, dtype=np.uint64))
    for field in table.record.fields:
        if not rows or not isinstance(field.body, Phrase) or table.record.list_around(field.name) is not None:
            continue
        column = resolved.field(field.name).spread(rows)
        nulls = np.zeros(rows, dtype=np.bool_) if column.nulls is None else column.nulls
        shares = [*_missing(field, field.body, nulls), *_values(field.body, column, nulls)]
        shape = _shape(field, field.body, table, column, nulls)
        if shares or shape is not None:
            yield FieldShares(field.name, tuple(shares), shape)


def _missing(field: Field, phrase: Phrase, nulls: NDArray[np.bool_]) -> Iterator[Share]:
    if phrase.missing or nulls.any():
        conditional = phrase.missing_if is not None or field.present_if is not None or not phrase.missing
        yield Share("missing", None if conditional else phrase.missing, float(nulls.mean()))


def _values(phrase: Phrase, column: Column, nulls: NDArray[np.bool_]) -> Iterator[Share]:
    """Yield the shares of listed values or of true, among the values that are not missing."""
    there = max(int((~nulls).sum()), 1)
    head = phrase.head
    if isinstance(head, model.Boolean):
        yield Share("true", head.share, float((np.asarray(column.values) & ~nulls).sum() / there))
    if not isinstance(head, model.OneOf):
        return
    counts = pc.value_counts(pc.filter(column.text(len(nulls)), arrow(~nulls)))
    counted = {each["values"]: each["counts"] for each in counts.to_pylist()}
    known = phrase.usually is None and phrase.narrowed is None
    for value, weight in list(zip(head.values, head.weights, strict=True))[:MOST_VALUES]:
        text = f"{value:.{column.type.places}f}" if column.type.places else str(value)
        text = text.lower() if isinstance(value, bool) else text
        yield Share(text, weight if known else None, counted.get(text, 0) / there)


def _shape(field: Field, phrase: Phrase, table: Table, column: Column, nulls: NDArray[np.bool_]) -> Shape | None:
    """Return the histogram of a range, and that of values drawn at quantiles, which is the requested one."""
    if not isinstance(phrase.head, model.Ranged):
        return None
    values = np.asarray(column.values, dtype=np.float64)[~nulls]
    if not len(values):
        return None
    fixed = grid_of(phrase.head, table.run.today)
    low, high = (
        (float(fixed.low), float(fixed.low + fixed.step * (fixed.n - 1))) if fixed else (values.min(), values.max())
    )
    step = fixed.step if fixed else 1
    size = (high - low) // step + 1
    # Every interval ends between two values; if one contains more values than the next, that is corrected.
    edges = low - step / 2 + step * np.rint(np.linspace(0, size, int(min(BINS, size)) + 1))
    asked = None
    if fixed is not None:
        even = Batch(table, np.arange(EVEN, dtype=np.uint64))
        even.quantiles = True
        try:
            place, _ = draw(field.name, phrase, fixed, even)
            asked = _shares(fixed.low + fixed.step * place, edges)
        except YurtError:
            asked = None
    ends = [Column(column.type, np.array([round(each)])).text(1)[0].as_py() for each in (low, high)]
    return Shape(ends[0], ends[1], asked, _shares(values, edges))


def _shares(values: NDArray[np.float64], edges: NDArray[np.float64]) -> tuple[float, ...]:
    counts = np.histogram(values, edges)[0] / np.diff(edges)
    return tuple((counts / (counts.sum() or 1.0)).tolist())
