"""How many rows of a file say something that the catalogue knows: a city of its lists, a word for a sex.

New fields agree with what a row says. Where the catalogue does not know the value, there is nothing to agree with.
"""

from __future__ import annotations

from threading import Lock

import numpy as np
from numpy.typing import NDArray

from yurt.core.base import compute as pc
from yurt.core.base.arrays import numbers
from yurt.core.base.data_classes import dataclass, field
from yurt.core.base.errors import YurtError
from yurt.core.columns.column import Column, Mask
from yurt.core.engine.entity import entity_of
from yurt.core.engine.kind_context import FOLLOWING
from yurt.core.engine.lookup import Lookup
from yurt.core.engine.scope import TableScope
from yurt.core.kinds.catalogue import KINDS
from yurt.core.kinds.lists import entries
from yurt.core.model import Field, FromColumn, KindOf
from yurt.core.model.expressions import Name
from yurt.core.planning.entities import LOCALE_FACTS, PLACES, admits

MOST_KNOWN = 1 << 18


@dataclass
class Match:
    """The values of one column that new fields agree with."""

    column: str
    aspect: str
    fields: tuple[str, ...]
    matched: int = 0
    unmatched: int = 0
    missing: int = 0
    example: str = ""
    lock: Lock = field(default_factory=Lock)

    def words(self, choice: str) -> str:
        """Return a sentence for the summary."""
        total = self.matched + self.unmatched + self.missing
        what = self.aspect.replace("-", " ")
        text = f"`{self.column}`: a known {what} in {self.matched:,} of {total:,} rows"
        if not self.unmatched:
            return text
        listed = ", ".join(f"`{each}`" for each in self.fields)
        then = f"{listed} drawn from all" if choice == "drawn" else f"{listed} missing"
        return f"{text}; unknown in {self.unmatched:,}, such as `{self.example}`: {then}"


class Matching:
    """Compares the columns of a file with what the catalogue knows, block by block."""

    def __init__(self, table: TableScope, choice: str) -> None:
        """`choice` says what becomes of new values where the catalogue does not know those of the row."""
        self.schema, self.record, self.choice = table.run.schema, table.record, choice
        self.matches: dict[str, Match] = {}
        self._known: dict[tuple[str, str], bool] = {}
        self.entity = entity_of(table, "")
        needs = self.schema.plan.needs
        new = [each for each in self.record.fields if _of_person_or_place(each)]
        for aspect, expression in self.entity.fixed.items():
            name = expression.name if isinstance(expression, Name) else ""
            source = self.record.by_name.get(name)
            if source is None or not isinstance(source.head, FromColumn) or aspect not in self._comparable():
                continue
            fields = tuple(each.name for each in new if name in needs[self.record.name, each.name])
            if fields:
                self.matches[name] = Match(source.title, aspect, fields)

    def unknown_in(self, rows: Lookup, first_row: int) -> dict[str, Mask]:
        """Return where each new field is missing, because the catalogue does not know what its row says."""
        found: dict[str, Mask] = {}
        for name, match in self.matches.items():
            column = rows.field(name)
            if (mask := self.unknown(name, column, first_row)) is not None and self.choice == "missing":
                for each in match.fields:
                    found[each] = mask | found[each] if each in found else mask
        return found

    @staticmethod
    def _comparable() -> set[str]:
        return {*LOCALE_FACTS, *PLACES, *FOLLOWING["cities"], "sex", "honorific"}

    def unknown(self, name: str, column: Column, first_row: int) -> Mask | None:
        """Count the values of a column, and return where the catalogue does not know them; None for nowhere.

        Raises YurtError at the first of them, if they are refused.
        """
        match = self.matches[name]
        size = len(column.values)
        coded = pc.dictionary_encode(Column(column.type, column.values).text(size))
        words = coded.dictionary.to_pylist()
        known = np.array([self._knows(match.aspect, each) for each in words], dtype=np.bool_)
        missing: NDArray[np.bool_] = np.zeros(size, dtype=np.bool_) if column.nulls is None else column.nulls
        unknown = ~known[numbers(coded.indices, np.int32)] & ~missing if size else missing
        count = int(unknown.sum())
        with match.lock:
            match.missing += int(missing.sum())
            match.unmatched += count
            match.matched += size - count - int(missing.sum())
            if count and not match.example:
                match.example = str(words[int(numbers(coded.indices, np.int32)[int(np.argmax(unknown))])])[:40]
        if count and self.choice == "refused":
            row = int(np.argmax(unknown))
            value = words[int(numbers(coded.indices, np.int32)[row])]
            told = f"row {first_row + row + 1:,}: `{value}` in `{match.column}`"
            raise YurtError(f"{self.record.name}, {told} is not a known {match.aspect.replace('-', ' ')}")
        return unknown if count else None

    def _knows(self, aspect: str, text: str) -> bool:
        key = aspect, text
        if key not in self._known:
            if len(self._known) >= MOST_KNOWN:
                self._known.clear()
            self._known[key] = self._looked_up(aspect, text)
        return self._known[key]

    def _looked_up(self, aspect: str, text: str) -> bool:
        if aspect in ("sex", "honorific"):
            return self.entity._sex_of(text) >= 0
        folder = self.schema.catalogue
        if aspect in LOCALE_FACTS or aspect in PLACES:
            return any(admits(each, aspect, text, folder) for each in self.entity.locales)
        columns = FOLLOWING["cities"][aspect]
        wanted = text.casefold()
        return any(wanted in _folded(locale, column, folder) for locale in self.entity.locales for column in columns)


_FOLDED: dict[tuple[str, str, str], frozenset[str]] = {}


def _folded(locale: str, column: str, folder: str) -> frozenset[str]:
    key = locale, column, folder
    if key not in _FOLDED:
        cells = entries("cities", (locale,), folder).cells
        _FOLDED[key] = frozenset(each.casefold() for each in cells.get(column, ()))
    return _FOLDED[key]


def _of_person_or_place(field: Field) -> bool:
    heads = [each.head for each in field.phrases]
    return any(isinstance(each, KindOf) and each.name in KINDS and bool(KINDS[each.name].about) for each in heads)
