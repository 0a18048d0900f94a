"""A sample with the rows of other record types that its rows refer to: their columns are read through the reference."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from yurt.core.base.data_classes import dataclass, field, replace
from yurt.core.base.types import DATE, Type
from yurt.core.drafting.samples.column import Column, Words
from yurt.core.drafting.samples.reading import Sample
from yurt.core.formats.common.raw import Raw

# How many columns before another one are compared with it; in wide tables, all pairs would take hours.
NEAR = 64


def near(columns: list[Column], column: Column) -> list[Column]:
    """Return the columns that are at most `NEAR` places from one of them, with it."""
    at = columns.index(column)
    return columns[max(0, at - NEAR) : at + NEAR + 1]


@dataclass(frozen=True)
class Reference:
    """A column that has the keys of another record type: the column, that record type, and its key.

    `by_name` says whether its name speaks for it as well; `share` is that of the values that are keys there.
    """

    column: Column
    record: str
    key: Column
    by_name: bool
    share: float = 1.0


@dataclass
class Rows:
    """The rows of one sample. `parents` has the row that each reference leads to, -1 for none."""

    sample: Sample
    references: dict[str, Reference] = field(default_factory=dict)
    # The reference to the record type that the rows are counted per.
    per: Reference | None = None
    key: Column | None = None
    parents: dict[str, tuple[Rows, NDArray[np.int64]]] = field(default_factory=dict)
    # The names that each field depends on.
    depends: dict[str, set[str]] = field(default_factory=dict)

    @property
    def columns(self) -> list[Column]:
        """The columns of the sample itself, those of nested records apart."""
        return [each for each in self.sample.columns.values() if each.title not in self.sample.nested]

    def join(self, name: str, other: Rows) -> None:
        """Find the rows of another sample that a reference leads to, if that sample has all of its rows."""
        reference = self.references[name]
        if not other.sample.whole:
            return
        places = {word: at for at, word in enumerate(reference.key.raw.texts.to_pylist()) if word is not None}
        words = reference.column.words
        rows = np.array([places.get(word, -1) for word in words.words] + [-1], dtype=np.int64)
        self.parents[name] = (other, rows[words.codes])

    def through(self, name: str) -> list[Column]:
        """Return the columns that are read through a reference: `hut.beds`."""
        if name not in self.parents:
            return []
        other, rows = self.parents[name]
        found = []
        for each in other.columns:
            if each is not self.references[name].key and each.raw.objects is None and "." not in each.name:
                found.append(taken(each, rows, f"{name}.{each.name}"))
        return found

    def may_depend(self, name: str, on: set[str]) -> bool:
        """Return whether a field may use others without a cycle."""
        waiting, seen = self._own(on), set[str]()
        while waiting:
            each = waiting.pop()
            if each == name:
                return False
            seen.add(each)
            waiting |= self.depends.get(each, set()) - seen
        return True

    def let_depend(self, name: str, on: set[str]) -> None:
        """Note that a field uses others."""
        self.depends.setdefault(name, set()).update(self._own(on))

    def _own(self, names: set[str]) -> set[str]:
        """Return fields of this record type: for one that is read through a reference, the reference."""
        return {each.partition(".")[0] if each.partition(".")[0] in self.references else each for each in names}


def taken(column: Column, rows: NDArray[np.int64], name: str) -> Column:
    """Return the values of a column in some rows; -1 means none."""
    there = rows >= 0
    at = np.where(there, rows, 0)
    if not column.rows:
        at = np.empty(0, dtype=np.int64)
    raw = column.raw.take(at)
    found = replace(column, name=name, raw=Raw(raw.texts, np.where(there, raw.sorts, 0).astype(np.uint8)))
    for cached in ("present", "count", "texts", "words"):
        found.__dict__.pop(cached, None)
    if column.numbers is not None:
        found.numbers = np.where(there, column.numbers[at], 0)
    found.right = column.right[at] & there
    words = column.words
    found.__dict__["words"] = Words(words.words, words.counts, np.where(there, words.codes[at], -1))
    return found


def constructed(name: str, kind: Type, numbers: NDArray[np.int64], right: NDArray[np.bool_], like: Column) -> Column:
    """Return a column of numbers that follow from others, such as the days between two dates."""
    return Column(
        name, name, Raw(like.raw.texts, np.where(right, 7, 0).astype(np.uint8)), like.sketch, kind, numbers, right
    )


def days_between(first: Column, last: Column) -> NDArray[np.int64]:
    """Return the days from one column of dates to another."""
    assert first.type == last.type == DATE
    assert first.numbers is not None
    assert last.numbers is not None
    return last.numbers - first.numbers
