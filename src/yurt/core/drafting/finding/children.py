"""How many rows a parent has, and which parents are referred to more often than others."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from yurt.core.base.types import INTEGER
from yurt.core.drafting.finding.rounding import Ends, numbers
from yurt.core.drafting.finding.shares import equally_likely
from yurt.core.drafting.finding.usual import Grid, usual
from yurt.core.drafting.quoting import few_digits
from yurt.core.drafting.samples.column import Numbers
from yurt.core.drafting.samples.rows import Reference, Rows

# More rows than this for one parent are no count per parent, but a frequency.
MOST = 2_000
LEAST_ROWS = 60


def counts_of(reference: Reference) -> Numbers:
    """Return the number of rows of each parent, as far as its key is compared, without those of no row."""
    own, other = reference.column.sketch, reference.key.sketch
    limit = min(own.limit, other.limit)
    inside = np.isin(other.hashes, own.hashes, assume_unique=True) & (other.hashes <= np.uint64(min(limit, 2**64 - 1)))
    known = other.hashes[inside]
    counts = own.counts[np.searchsorted(own.hashes, known)]
    none = int((other.hashes <= np.uint64(min(limit, 2**64 - 1))).sum()) - len(known)
    return np.concatenate([counts, np.zeros(none, dtype=np.int64)])


def parent_of(rows: Rows) -> Reference | None:
    """Return the reference that the rows are counted per: those of one parent stand together."""
    if not rows.sample.ordered:
        return None
    best: tuple[int, Reference] | None = None
    for each in rows.references.values():
        sketch = each.column.sketch
        if each.record == rows.sample.record or each.column.count < each.column.rows or not sketch.grouped:
            continue
        counts = counts_of(each)
        if not len(counts) or counts.max() < 2 or counts.max() > MOST:
            continue
        if best is None or sketch.different > best[0]:
            best = (sketch.different, each)
    return best[1] if best is not None else None


def count_per_parent(reference: Reference, name: str) -> str:
    """Return the count of a record type: `0..5 per hiker, usually low`."""
    counts = counts_of(reference)
    low, high = int(counts.min()), int(counts.max())
    if low == high:
        return f"{low} per {name}"
    if high - low > 20:
        low, high = numbers(low, high, 1)
    ends = Ends(low, high, 1)
    clause = usual(counts, Grid.of(INTEGER, ends)).clause
    return f"{low}..{high} per {name}" + (f", {clause}" if clause else "")


def frequency(reference: Reference) -> str:
    """Return the clause for parents that are referred to more often than others; empty if all are equally likely."""
    counts = np.sort(counts_of(reference))[::-1]
    total = int(counts.sum())
    if len(counts) < 3 or total < LEAST_ROWS or (counts <= 1).all():
        return ""
    if equally_likely(counts) or total < 3 * len(counts):
        return ""
    shares = np.cumsum(counts) / total
    best, exponent = 1.0, 0.0
    for each in np.arange(0.1, 3.01, 0.1):
        model = np.cumsum(np.arange(1, len(counts) + 1) ** -each)
        distance = float(np.abs(model / model[-1] - shares).max())
        if distance < best:
            best, exponent = distance, float(each)
    return f"usually zipf({few_digits(exponent)})" if best < 0.12 else ""


def distinct(rows: Rows, reference: Reference) -> bool:
    """Return whether the rows of one parent never refer to the same row twice."""
    if rows.per is None or rows.per is reference or not rows.sample.whole or reference.record == rows.per.record:
        return False
    parents, others = rows.per.column.words.codes, reference.column.words.codes
    pairs = parents * (len(reference.column.words) + 1) + others + 1
    counts: NDArray[np.int64] = np.bincount(parents[parents >= 0])
    several = int((counts > 1).sum())
    expected = float((counts * (counts - 1) / 2).sum()) / max(len(reference.key.words), 1)
    return several >= 10 and expected >= 20 and len(np.unique(pairs)) == len(pairs)
