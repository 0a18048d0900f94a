"""Kinds of the catalogue: by the name of a column and its values, and the locale whose lists have most of them."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray

from yurt.core.base import compute as pc
from yurt.core.base.types import INTEGER, TEXT
from yurt.core.drafting.finding.shares import percentages
from yurt.core.drafting.samples.column import Column
from yurt.core.existing.recognising import Recognised, recognised
from yurt.core.kinds.catalogue import KINDS
from yurt.core.kinds.lists import lines_of
from yurt.core.kinds.locales import every_locale

# Kinds of numbers that are more than a range, and kinds that any text of their form would be.
NUMBERS = ("postal-code", "latitude", "longitude", "cc-number", "gtin-13", "gtin-8", "isbn-13", "imei", "national-id")
GENERAL = ("word", "title", "note", "comment", "slug", "placeholder", "status", "environment", "severity", "code",
           "sex", "name", "quantity", "rating", "priority", "percentage", "seat-number", "serial-number", "grade",
           "station-code", "year")  # fmt: skip
# Kinds whose values are private in any number of rows.
PRIVATE_GROUPS = ("persons", "contact", "identifiers", "households", "money", "records")
# The share of values that must fit, and the rows with which a mix of locales is estimated.
MOST, ROWS, LEAST_SHARE = 0.9, 2_000, 0.04
LISTS = {"given-name": ("given-names", "name"), "family-name": ("family-names", "name"), "city": ("cities", "city")}
ROUNDS = 60


def kind_of(column: Column) -> Recognised | None:
    """Return the kind of a column; None if it has none that says more than its type."""
    if (
        column.raw.objects is not None
        or not column.count
        or (column.type not in (TEXT, INTEGER) and not column.type.places)
    ):
        return None
    found = recognised(column.title, column.raw)
    kind = found.kind
    if not kind or kind in GENERAL or KINDS[kind].group in ("records", "dates"):
        return None
    if column.type != TEXT and kind not in NUMBERS:
        return None
    if column.type == INTEGER and found.by == "by content" and found.compared < 30:
        return None
    if found.share < (MOST if kind not in ("full-name",) else 0.6):
        return None
    return found


def is_private(kind: str) -> bool:
    """Return whether the values of a kind are about a person, so that none of them enters a schema."""
    return KINDS[kind].group in PRIVATE_GROUPS or KINDS[kind].about == "person"


def locales_of(columns: Iterable[tuple[str, Column]]) -> str:
    """Return the locale, or the mix of locales, whose lists make the values most likely; empty if none stands out.

    `columns` are columns of names and cities of one record type with their kinds. The shares of a mix are found by
    expectation and maximisation over the rows.
    """
    chosen = [(kind, each) for kind, each in columns if kind in LISTS]
    if not chosen:
        return ""
    locales = list(every_locale())
    rows = min(min(each.rows for _, each in chosen), ROWS)
    likely = np.zeros((rows, len(locales)))
    known = np.zeros(rows, dtype=np.bool_)
    for kind, column in chosen:
        own = np.stack([_chances(kind, locale, column, rows) for locale in locales], axis=1)
        there = own.max(axis=1) > 0
        # A value that no list has says nothing.
        likely += np.where(there[:, None], np.log(np.maximum(own, 1e-7)), 0.0)
        known |= there
    if known.mean() < 0.3 or known.sum() < 10:
        return ""
    shares = _mixed(np.exp(likely[known] - likely[known].max(axis=1, keepdims=True)))
    return _told(locales, shares)


def _chances(kind: str, locale: str, column: Column, rows: int) -> NDArray[np.float64]:
    name, title = LISTS[kind]
    lines = lines_of(name, locale)
    words = [{line.get(each, "").casefold() for each in (title, "latin", "feminine")} - {""} for line in lines]
    places = {word: at for at, own in enumerate(words) for word in own}
    texts = pc.utf8_lower(column.raw.texts.slice(0, rows)).to_pylist()
    chance = 1 / max(len(lines), 1)
    return np.array([chance if each is not None and each in places else 0.0 for each in texts])


def _mixed(likely: NDArray[np.float64]) -> NDArray[np.float64]:
    shares = np.full(likely.shape[1], 1 / likely.shape[1])
    for _ in range(ROUNDS):
        weights = likely * shares
        weights /= np.maximum(weights.sum(axis=1, keepdims=True), 1e-300)
        shares = weights.mean(axis=0)
    return shares


def _told(locales: list[str], shares: NDArray[np.float64]) -> str:
    order: list[int] = [at for at in np.argsort(-shares).tolist() if shares[at] >= LEAST_SHARE]
    if not order:
        return ""
    if len(order) == 1 or shares[order[0]] > 0.93:
        return locales[order[0]]
    rounded = percentages(np.rint(shares[order] * 1000).astype(np.int64))
    rest = [round(each / 5) * 5 for each in rounded[1:]]
    if min(rest) < 5:
        rest = rounded[1:]
    parts = [100 - sum(rest), *rest]
    return "{" + ", ".join(f"{locales[at]}: {share}%" for at, share in zip(order, parts, strict=True)) + "}"
