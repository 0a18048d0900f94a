"""A column of a sample: its values as a data type, and the form in which they are written."""

from __future__ import annotations

from functools import cached_property

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow, numbers
from yurt.core.base.data_classes import dataclass, field
from yurt.core.base.types import BOOLEAN, DATE, DATETIME, INTEGER, TEXT, TIME, Type
from yurt.core.drafting.samples.sketch import Sketch
from yurt.core.formats.common.raw import Raw

Numbers = NDArray[np.int64]
DAY = 86_400_000_000


@dataclass
class Column:
    """A column by its title in the file.

    `numbers` are its values as whole numbers: scaled decimals, days, microseconds, and 0 or 1 for Booleans; 0 where
    there is no value of the type. `right` says which rows have one. `written` is the form, as the clause `as` has it,
    if it is not the usual one. `strays` are the rows with values of another type.
    """

    title: str
    name: str
    raw: Raw
    sketch: Sketch
    type: Type = TEXT
    numbers: Numbers | None = None
    right: NDArray[np.bool_] = field(default_factory=lambda: np.empty(0, dtype=np.bool_))
    written: str = ""
    strays: int = 0
    # The ends of the range that a structure states for it.
    stated: tuple[str, str] | None = None

    @property
    def rows(self) -> int:
        """The number of rows of the sample."""
        return len(self.raw.sorts)

    @cached_property
    def present(self) -> NDArray[np.bool_]:
        """Which rows have a value."""
        return ~self.raw.missing

    @cached_property
    def count(self) -> int:
        """The number of rows with a value."""
        return int(self.present.sum())

    @cached_property
    def texts(self) -> pa.Array:
        """The values that are there, as texts."""
        return pc.filter(self.raw.texts, arrow(self.present)) if self.count < self.rows else self.raw.texts

    @cached_property
    def words(self) -> Words:
        """The different values, the most frequent first."""
        return Words.of(self.raw)

    @property
    def values(self) -> Numbers:
        """The numbers that are there."""
        assert self.numbers is not None
        return self.numbers[self.right]

    @property
    def unique(self) -> bool:
        """Whether no value is there twice."""
        return self.sketch.unique

    @property
    def numeric(self) -> bool:
        """Whether its values are numbers, dates, or times, which have an order."""
        return self.type in (INTEGER, DATE, DATETIME, TIME) or self.type.name == "decimal"

    @property
    def scale(self) -> float:
        """What its numbers are divided by to be values; microseconds are seconds."""
        if self.type in (DATETIME, TIME):
            return 1e6
        return float(10**self.type.places)

    @cached_property
    def floats(self) -> NDArray[np.float64]:
        """The numbers of all rows; NaN where there is none."""
        assert self.numbers is not None
        return np.where(self.right, self.numbers / self.scale, np.nan)

    @property
    def day(self) -> bool:
        """Whether its values are days or date-times."""
        return self.type in (DATE, DATETIME)

    @property
    def yes_no(self) -> bool:
        """Whether its values are Booleans."""
        return self.type == BOOLEAN


@dataclass(frozen=True)
class Words:
    """The different values of a column, the most frequent first, and which of them each row has (-1 for none)."""

    words: list[str]
    counts: Numbers
    codes: Numbers

    @classmethod
    def of(cls, raw: Raw) -> Words:
        """Return the different values of a column."""
        encoded = pc.dictionary_encode(raw.texts)
        codes = numbers(pc.fill_null(encoded.indices, pa.scalar(-1, pa.int32())), np.int32).astype(np.int64)
        codes = np.where(raw.missing, -1, codes)
        counts = np.bincount(codes[codes >= 0], minlength=len(encoded.dictionary))
        words = encoded.dictionary.to_pylist()
        order = np.argsort(-counts, kind="stable")
        order = order[counts[order] > 0]
        place = np.full(len(words) + 1, -1, dtype=np.int64)
        place[order] = np.arange(len(order))
        return cls([words[at] for at in order.tolist()], counts[order], place[codes])

    def __len__(self) -> int:
        return len(self.words)
