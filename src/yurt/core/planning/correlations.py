"""Rank correlations that a schema requests, and whether they are possible together.

A rank correlation s (Spearman's) of two normal numbers corresponds to the correlation 2·sin(π·s / 6) (K. Pearson, "On
further methods of determining correlation", 1907). A field that tracks others is a sum of theirs and of a part of its
own; the shares solve a system of linear equations, one for each field that it tracks.
"""

from __future__ import annotations

import math

from yurt.core.base.data_classes import dataclass
from yurt.core.model import Record

LEAST = 1e-9


class NotPossible(ValueError):
    """Correlations that are impossible together, or that form a cycle; `field` is where it shows."""

    def __init__(self, field: str, message: str) -> None:
        super().__init__(message)
        self.field = field


@dataclass(frozen=True)
class Shares:
    """The composition of a field's number: shares of the own numbers of other fields, and of its own.

    `tracked` are the fields that it tracks.
    """

    of_others: tuple[tuple[str, float], ...]
    own: float
    tracked: tuple[str, ...]


def wanted_of(record: Record) -> dict[str, list[tuple[str, float]]]:
    """Return, for each tracking field, the names of the others and the rank correlations."""
    return {
        field.name: [(each.name, each.rank) for each in field.phrases[0].tracks]
        for field in record.fields
        if field.phrases[0].tracks
    }


def shares_of(wanted: dict[str, list[tuple[str, float]]]) -> dict[str, Shares]:
    """Return the shares of each tracking field; raise NotPossible.

    Two fields of which neither tracks the other have the correlation that follows from the rest.
    """
    known: dict[tuple[str, str], float] = {}
    found: dict[str, Shares] = {}
    # The whole sum of each field, so that sums are not built of sums.
    sums: dict[str, dict[str, float]] = {}
    for name in _ordered(wanted):
        others = [other for other, _ in wanted.get(name, [])]
        asked = [2 * math.sin(math.pi * rank / 6) for _, rank in wanted.get(name, [])]
        shares = _solved([[known[a, b] for b in others] for a in others], asked)
        rest = 1 - sum(share * each for share, each in zip(shares, asked, strict=True))
        if rest < LEAST:
            raise NotPossible(name, "these correlations are not possible together")
        for before in sums:
            both = sum(share * known[other, before] for share, other in zip(shares, others, strict=True))
            known[name, before] = known[before, name] = both
        known[name, name] = 1.0
        total: dict[str, float] = {}
        for other, share in zip(others, shares, strict=True):
            for base, part in sums[other].items():
                total[base] = total.get(base, 0.0) + share * part
        sums[name] = total | {name: math.sqrt(rest)}
        if others:
            found[name] = Shares(tuple(total.items()), math.sqrt(rest), tuple(others))
    return found


def _ordered(wanted: dict[str, list[tuple[str, float]]]) -> list[str]:
    """Return all fields, each after those that it tracks."""
    order: list[str] = []

    def visit(name: str, path: tuple[str, ...]) -> None:
        if name in path:
            raise NotPossible(name, "fields that track each other in a cycle: " + " → ".join([*path, name]))
        if name not in order:
            for other, _ in wanted.get(name, []):
                visit(other, (*path, name))
            order.append(name)

    for name in wanted:
        visit(name, ())
    return order


def _solved(matrix: list[list[float]], right: list[float]) -> list[float]:
    """Solve a small system of linear equations by elimination with pivots."""
    size = len(right)
    rows = [[*line, value] for line, value in zip(matrix, right, strict=True)]
    for at in range(size):
        pivot = max(range(at, size), key=lambda row: abs(rows[row][at]))
        rows[at], rows[pivot] = rows[pivot], rows[at]
        if abs(rows[at][at]) < LEAST:
            return [math.inf] * size
        for row in range(size):
            if row != at:
                factor = rows[row][at] / rows[at][at]
                rows[row] = [a - factor * b for a, b in zip(rows[row], rows[at], strict=True)]
    return [rows[at][size] / rows[at][at] for at in range(size)]
