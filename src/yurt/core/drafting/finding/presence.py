"""In which rows values are missing: where another field has certain values, or by chance."""

from __future__ import annotations

from decimal import Decimal

import numpy as np
from numpy.typing import NDArray

from yurt.core.base.data_classes import dataclass
from yurt.core.drafting.finding.shares import percent
from yurt.core.drafting.quoting import quoted
from yurt.core.drafting.samples.column import Column
from yurt.core.drafting.samples.rows import Rows

# The share of rows in which a condition must decide, and the most values of the field that decides.
SURE, VALUES = 0.998, 12
LEAST = 40


@dataclass(frozen=True)
class Presence:
    """When a field has a value: the clauses, and the condition (empty for no condition); `uses` is the field in it."""

    clauses: tuple[str, ...] = ()
    condition: str = ""
    uses: str = ""


def presence(target: Column, rows: Rows, others: list[Column], least: int) -> Presence:
    """Return when a column has a value."""
    there = target.present
    gone = int((~there).sum())
    if not gone:
        return Presence()
    if gone == target.rows:
        return Presence(("missing 100%",))
    if target.rows >= LEAST and min(gone, target.count) >= 5:
        best: tuple[float, Presence] | None = None
        for each in others:
            found = _decided(target, each, there, least) if rows.may_depend(target.name, {each.name}) else None
            if found is not None and (best is None or found[0] > best[0]):
                best = found
        if best is not None:
            return best[1]
    return Presence((f"missing {percent(gone / target.rows)}",))


def _decided(target: Column, other: Column, there: NDArray[np.bool_], least: int) -> tuple[float, Presence] | None:
    """Return how well another column decides where values are, and the condition or the clause."""
    words = other.words
    if other is target or not 1 <= len(words) <= VALUES or other.raw.objects is not None:
        return None
    # Rows without a value of the other column are a group of their own.
    codes = np.where(words.codes < 0, len(words), words.codes)
    sizes = np.bincount(codes, minlength=len(words) + 1)
    counts = np.bincount(codes, weights=there, minlength=len(words) + 1)
    if (sizes > 0).sum() < 2 or sizes[: len(words)].min() < least:
        return None
    shares = counts / np.maximum(sizes, 1)
    yes = [at for at in range(len(words)) if shares[at] > 0.5]
    decided = sum(counts[at] if at in yes else sizes[at] - counts[at] for at in range(len(sizes))) / sizes.sum()
    mostly = max(there.mean(), 1 - there.mean())
    if decided >= SURE and mostly < 0.995 and yes and len(yes) < (sizes > 0).sum():
        return 2 + decided, Presence((), _condition(other, yes), other.name)
    # Only in some rows, and not in all of those.
    never = (counts == sizes) & (sizes > 0)
    rest = [at for at in range(len(words)) if not never[at]]
    if never[: len(words)].any() and rest and not never[len(words)] | (sizes[len(words)] > 0):
        inside = sizes[rest].sum()
        missing = (sizes[rest] - counts[rest]).sum() / inside
        if missing * sizes[never].sum() >= 20:
            clause = f"missing {percent(float(missing))} if {_condition(other, rest)}"
            return 1.0, Presence((clause,), "", other.name)
    return None


def _condition(column: Column, chosen: list[int]) -> str:
    """Return the condition that a column has one of some values."""
    values = [column.words.words[at] for at in chosen]
    if column.yes_no:
        yes = column.written.partition(" |")[0] or "true"
        return column.name if values == [yes] else f"not {column.name}"
    if column.type.numeric and (limit := _limit(column, chosen)) is not None:
        return limit
    return in_list(column, values)


def _limit(column: Column, chosen: list[int]) -> str | None:
    """Return the comparison that separates some numbers from all others; None if none does."""
    inside = sorted(Decimal(column.words.words[at]) for at in chosen)
    others = [Decimal(each) for at, each in enumerate(column.words.words) if at not in chosen]
    if len(inside) < 2 or not others:
        return None
    if min(others) > inside[-1]:
        return f"{column.name} <= {inside[-1]}"
    return f"{column.name} >= {inside[0]}" if max(others) < inside[0] else None


def in_list(column: Column, values: list[str]) -> str:
    """Return the condition that a column has one of some values, in the order of the schema."""
    texts = [each if column.type.numeric else quoted(each) for each in values]
    if len(texts) == 1:
        return f"{column.name} == {texts[0]}"
    return f"{column.name} in [{', '.join(texts)}]"
