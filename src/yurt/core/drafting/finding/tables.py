"""Tables: another field decides which values a field has (`by`), or conditions on numbers do (`when`)."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from yurt.core.base.data_classes import dataclass
from yurt.core.base.types import INTEGER
from yurt.core.drafting.quoting import item, literal
from yurt.core.drafting.samples.column import Column
from yurt.core.drafting.samples.rows import Rows

# The most values of a field that decides, and the rows that each line needs.
VALUES, ROWS = 12, 40
# How much of the uncertainty about a value must be gone, and the chance that this is by accident.
GAIN, CHANCE = 0.08, 1e-9
# How much a condition must change the shares of values (total variation).
CHANGED = 0.15
# The most conditions of a table, and the limits that are tried for each number.
CONDITIONS, LIMITS = 3, 24


@dataclass(frozen=True)
class TableOf:
    """A table: its word, its conditions with the rows in which each is the first that holds, and the fields it uses."""

    word: str
    rows: tuple[tuple[str, NDArray[np.bool_]], ...]
    uses: frozenset[str]


Codes = NDArray[np.int64]


def by_field(target: Column, codes: Codes, rows: Rows, others: list[Column], least: int) -> TableOf | None:
    """Return the table of the field that decides most about a column; `codes` are the classes of its values."""
    best: tuple[float, Column] | None = None
    for each in others:
        if not _may_decide(each, target, rows, least):
            continue
        gain = _gain(codes, each.words.codes)
        if gain is not None and (best is None or gain > best[0]):
            best = gain, each
    if best is None:
        return None
    return TableOf(f"by {best[1].name}", tuple(_grouped(best[1], codes)), frozenset({best[1].name}))


def _may_decide(column: Column, target: Column, rows: Rows, least: int) -> bool:
    words = column.words
    fits = 2 <= len(words) <= VALUES and column.count == column.rows and column.raw.objects is None
    return bool(
        fits and words.counts.min() >= max(ROWS, least) and column is not target and "." not in column.name
    ) and rows.may_depend(target.name, {column.name})


def _gain(codes: Codes, groups: Codes) -> float | None:
    """Return the share of the uncertainty about classes that groups take away, unless it could be chance."""
    from scipy.special import chdtrc

    known = (codes >= 0) & (groups >= 0)
    if known.sum() < 2 * ROWS:
        return None
    width, height = int(codes.max()) + 1, int(groups.max()) + 1
    table = np.bincount(groups[known] * width + codes[known], minlength=width * height).reshape(height, width)
    table = table[table.sum(axis=1) > 0][:, table.sum(axis=0) > 0]
    if min(table.shape) < 2:
        return None
    expected = table.sum(axis=1, keepdims=True) * table.sum(axis=0, keepdims=True) / table.sum()
    statistic = float(((table - expected) ** 2 / expected).sum())
    if chdtrc((table.shape[0] - 1) * (table.shape[1] - 1), statistic) > CHANCE:
        return None
    before = _entropy(table.sum(axis=0))
    after = sum(_entropy(row) * row.sum() for row in table) / table.sum()
    gain = (before - after) / before if before else 0.0
    return gain if gain >= GAIN else None


def _entropy(counts: Codes) -> float:
    shares = counts[counts > 0] / counts.sum()
    return float(-(shares * np.log(shares)).sum())


def _grouped(column: Column, codes: Codes) -> list[tuple[str, NDArray[np.bool_]]]:
    """Return the values of the deciding column, those with the same classes on one line."""
    words = column.words
    width = int(codes.max()) + 1
    lines: list[tuple[list[int], NDArray[np.int64]]] = []
    for at in range(len(words)):
        counts = np.bincount(codes[(words.codes == at) & (codes >= 0)], minlength=width)
        for members, own in lines:
            if _same(own, counts):
                members.append(at)
                own += counts
                break
        else:
            lines.append(([at], counts))
    found = []
    for members, _ in lines:
        texts = [item(words.words[at], typed=column.type.numeric or column.yes_no) for at in members]
        found.append((" | ".join(texts), np.isin(words.codes, members)))
    return found


def _same(one: NDArray[np.int64], two: NDArray[np.int64]) -> bool:
    """Return whether two groups have the same classes about as often."""
    from scipy.special import chdtrc

    if not one.sum() or not two.sum():
        return bool(one.sum() == two.sum())
    table = np.stack([one, two])
    table = table[:, table.sum(axis=0) > 0]
    if table.shape[1] < 2:
        return True
    expected = table.sum(axis=1, keepdims=True) * table.sum(axis=0, keepdims=True) / table.sum()
    statistic = float(((table - expected) ** 2 / expected).sum())
    return bool(chdtrc(table.shape[1] - 1, statistic) > 1e-3)


def by_limits(target: Column, codes: Codes, rows: Rows, others: list[Column]) -> TableOf | None:
    """Return the table of conditions on numbers that tell most about a column: `hut.beds < 20`."""
    left = codes >= 0
    conditions: list[tuple[str, NDArray[np.bool_]]] = []
    uses: set[str] = set()
    for _ in range(CONDITIONS):
        best: tuple[float, str, NDArray[np.bool_], str] | None = None
        for each in others:
            if each is target or not each.numeric or not rows.may_depend(target.name, {each.name}):
                continue
            # The smaller part gets a line of its own; the rest may be divided further.
            limits = [one for one in _limits(each, left) if 2 * (left & one[1]).sum() <= left.sum()]
            for (text, holds), strength in zip(
                limits, _strengths(codes[left], [one[left] for _, one in limits]), strict=True
            ):
                if strength > 0 and (best is None or strength > best[0] * 1.02):
                    best = strength, text, holds, each.name
        if best is None:
            break
        inside = left & best[2]
        if min(inside.sum(), (left & ~best[2]).sum()) < ROWS:
            break
        conditions.append((best[1], inside))
        uses.add(best[3])
        left = left & ~best[2]
    if not conditions:
        return None
    return TableOf("when", (*conditions, ("else", left)), frozenset(uses))


def _strengths(codes: Codes, conditions: list[NDArray[np.bool_]]) -> list[float]:
    """Return how strongly each condition changes the shares of classes (Pearson's statistic); 0 for chance."""
    from scipy.special import chdtrc

    total = np.bincount(codes)
    classes = np.flatnonzero(total)
    if not conditions or len(classes) < 2:
        return [0.0] * len(conditions)
    inside = np.array(conditions, dtype=np.float64) @ (codes[:, None] == classes)
    # By condition, part (where it holds, and where not), and class.
    table = np.stack([inside, total[classes] - inside], axis=1)
    sizes = table.sum(axis=2, keepdims=True)
    with np.errstate(all="ignore"):
        shares, expected = table / sizes, sizes * (total[classes] / len(codes))
        found = ((table - expected) ** 2 / expected).sum(axis=(1, 2))
        changed = np.abs(shares[:, 0] - shares[:, 1]).sum(axis=1) / 2 >= CHANGED
        good = changed & (sizes.min(axis=(1, 2)) >= ROWS) & (chdtrc(len(classes) - 1, found) <= CHANCE)
    return [float(each) for each in np.where(good, found, 0.0)]


def _limits(column: Column, left: NDArray[np.bool_]) -> list[tuple[str, NDArray[np.bool_]]]:
    assert column.numbers is not None
    known = left & column.right
    if known.sum() < 2 * ROWS or known.sum() < 0.98 * left.sum():
        return []
    values = np.unique(column.numbers[known])
    if len(values) > LIMITS:
        values = np.unique(np.quantile(values, np.linspace(0.02, 0.98, LIMITS), method="nearest"))
    found = []
    for value in values.tolist():
        limit = _round_limit(int(value), column)
        below = column.right & (column.numbers < limit)
        found.append((f"{column.name} < {literal(limit, column.type)}", below))
        if column.type == INTEGER:
            found.append(
                (f"{column.name} > {literal(int(value), column.type)}", column.right & (column.numbers > int(value)))
            )
        else:
            found.append((f"{column.name} >= {literal(limit, column.type)}", column.right & (column.numbers >= limit)))
    return found


def _round_limit(value: int, column: Column) -> int:
    """Return the roundest limit that separates the same values from those below."""
    assert column.numbers is not None
    below = column.values[column.values < value]
    if not len(below):
        return value
    lowest = int(below.max()) + 1
    unit = 1
    found = value
    while unit <= max(abs(value), 1):
        for size in (unit, 5 * unit):
            rounded = value // size * size
            if rounded >= lowest:
                found = rounded
        unit *= 10
    return found


def classes(column: Column, limit: int = 12) -> Codes | None:
    """Return a class for each value: a word of a list, or the part of the range in which a number is."""
    words = column.words
    if len(words) <= limit:
        return words.codes
    if column.numbers is None or column.type.name not in ("integer", "decimal"):
        return None
    values, counts = np.unique(column.values, return_counts=True)
    spike = values[counts.argmax()] if counts.max() > 0.3 * counts.sum() else None
    others = column.values[column.values != spike] if spike is not None else column.values
    edges = np.unique(np.quantile(others, np.linspace(0, 1, 9)[1:-1]))
    found = np.searchsorted(edges, column.numbers, side="right")
    found = np.where(column.numbers == spike, len(edges) + 1, found) if spike is not None else found
    return np.where(column.right, found, -1)
