"""How well a draft does: as many rows are drawn from it as the sample has, and both are compared.

Distributions of numbers and dates are compared by the greatest distance of their cumulative shares (Kolmogorov and
Smirnov), those of other values by half the sum of the differences of their shares (total variation).
"""

from __future__ import annotations

from datetime import date

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from yurt.core.base import compute as pc
from yurt.core.base.arrays import flags
from yurt.core.base.data_classes import dataclass, field
from yurt.core.base.types import TEXT
from yurt.core.drafting.draft import Draft
from yurt.core.drafting.finding import ranks
from yurt.core.drafting.fitting import Fit
from yurt.core.drafting.samples.column import Column
from yurt.core.drafting.samples.reading import Sample
from yurt.core.drafting.samples.sketch import Sketch
from yurt.core.drafting.samples.typed import with_type
from yurt.core.engine.blocks import block, ranges
from yurt.core.engine.run import Run, RunOptions
from yurt.core.formats.common.raw import CELL, NULL, Raw
from yurt.core.kinds.catalogue import KINDS
from yurt.core.text.forms import text_of

# The rows that are drawn at most, and the most different values whose shares are compared.
ROWS, VALUES = 20_000, 200
# Lines of keys and forms, whose values are not those of the sample.
FORMS = ("ref ", "/", "text ", "uuid", "list ")
# Drawn rows are others than those of a sample that was made with any usual seed.
SEED = 918_273_645
# The weakest correlation that is listed.
CORRELATION = 0.1


@dataclass(frozen=True)
class FieldFidelity:
    """One field: what its line rests on, the distance of its distribution (None if only the form is drawn), missing
    shares, and the rows of the sample that break its line.
    """

    name: str
    line: str
    found: str
    measure: str
    distance: float | None
    missing: float
    missing_drawn: float
    broken: int


@dataclass(frozen=True)
class Correlation:
    """A rank correlation of two fields in the sample and in the drawn rows."""

    one: str
    two: str
    sample: float
    drawn: float


@dataclass
class RecordFidelity:
    """One record type: the rows of the sample and those drawn, the rows that are accepted, fields, correlations."""

    name: str
    source: str
    rows: int
    total: int
    drawn: int
    accepted: float
    fields: list[FieldFidelity] = field(default_factory=list)
    correlations: list[Correlation] = field(default_factory=list)


def fidelity(draft: Draft, fit: Fit, samples: list[Sample], today: date) -> list[RecordFidelity]:
    """Return how well each record type is drawn. Raises YurtError for a schema that cannot be generated."""
    run = Run(fit.schema, RunOptions(seed=SEED, today=today))
    found = []
    for sample in samples:
        record = draft.record(sample.record)
        assert record is not None
        drawn = drawn_columns(run, sample)
        accepted = fit.accepted[sample.record]
        size = max((each.rows for each in drawn.values()), default=0)
        own = RecordFidelity(sample.record, sample.name, sample.size, sample.total, size, accepted.share)
        for each in record.fields:
            column = sample.columns.get(each.title) or sample.by_name.get(each.name)
            if column is None or each.title not in drawn or column.raw.objects is not None:
                continue
            broken = sum(count for (name, _), count in accepted.broken.items() if name == each.name)
            keyed = (
                column.unique
                or each.nested
                or each.head.startswith(FORMS)
                or each.head.partition("(")[0].partition(" ")[0] in KINDS
            )
            measure, distance = ("", None) if keyed else _distance(column, drawn[each.title])
            own.fields.append(
                FieldFidelity(
                    each.name, each.head or (each.table[0] if each.table else ""), each.found, measure, distance,
                    1 - column.count / max(column.rows, 1), _missing(drawn[each.title]), broken,
                )
            )  # fmt: skip
        own.correlations = _correlations(sample, drawn)
        found.append(own)
    return found


def drawn_columns(run: Run, sample: Sample, rows: int = ROWS) -> dict[str, Column]:
    """Return drawn rows as columns by their titles, in the form of the sample."""
    count = min(run.table(sample.record).count, max(rows, 1), max(sample.size, 1) if sample.size else rows)
    parts = [block(run, sample.record, *span, typed=False, nests=False) for span in ranges(0, count)]
    found = {}
    for at, title in enumerate(parts[0].schema.names if parts else ()):
        texts = pa.concat_arrays([pa.array(text_of(each.column(at)), pa.string()) for each in parts])
        sorts = np.where(_flags(texts), CELL, NULL).astype(np.uint8)
        raw = Raw(texts, sorts)
        sketch = Sketch()
        sketch.add(raw)
        found[title] = with_type(Column(title, title, raw, sketch))
    return found


def _flags(texts: pa.Array) -> NDArray[np.bool_]:
    return flags(pc.is_valid(texts))


def _missing(column: Column) -> float:
    return 1 - column.count / column.rows if column.rows else 0.0


def _distance(sample: Column, drawn: Column) -> tuple[str, float | None]:
    """Return the measure and the distance of two columns; None for texts of a form, whose values all differ."""
    if not sample.count or not drawn.count:
        return "", None
    if sample.numeric and drawn.numeric and sample.numbers is not None and drawn.numbers is not None:
        return "KS", _greatest(np.sort(sample.floats[sample.right]), np.sort(drawn.floats[drawn.right]))
    if len(sample.words) > VALUES and len(sample.words) > sample.count / 20:
        return "", None
    return "TV", _variation(sample, drawn)


def _greatest(one: NDArray[np.float64], two: NDArray[np.float64]) -> float:
    points = np.concatenate([one, two])
    return float(np.abs(
        np.searchsorted(one, points, side="right") / len(one) - np.searchsorted(two, points, side="right") / len(two)
    ).max())  # fmt: skip


def _variation(one: Column, two: Column) -> float:
    shares: dict[str, float] = {}
    for column, sign in ((one, 1), (two, -1)):
        for word, count in zip(column.words.words, column.words.counts.tolist(), strict=True):
            shares[word] = shares.get(word, 0.0) + sign * count / column.count
    return sum(map(abs, shares.values())) / 2


def _correlations(sample: Sample, drawn: dict[str, Column]) -> list[Correlation]:
    usable = [
        each for title, each in sample.columns.items()
        if each.numeric and title in drawn and drawn[title].numeric and each.type != TEXT and not each.unique
    ][:40]  # fmt: skip
    if len(usable) < 2:
        return []
    asked, got = ranks.correlations(usable), ranks.correlations([drawn[each.title] for each in usable])
    found = []
    for a in range(len(usable)):
        for b in range(a):
            if not np.isnan(asked[a, b]) and abs(asked[a, b]) >= CORRELATION and not np.isnan(got[a, b]):
                found.append(Correlation(usable[b].name, usable[a].name, float(asked[a, b]), float(got[a, b])))
    return sorted(found, key=lambda each: -abs(each.sample))
