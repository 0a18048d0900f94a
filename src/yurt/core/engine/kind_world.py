"""The world that the kinds of one record speak of: one person, one place, one locale a row.

What is shared (the line of the list of cities, the sex, the locale) is drawn from a stream of the record, so that every
kind that asks gets the same answer; what a field has for itself comes from a stream of the field.
"""

from __future__ import annotations

import re
from functools import lru_cache
from typing import TYPE_CHECKING

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from yurt.core.arrays import arrow, fixed_strings, joined, strings
from yurt.core.engine.column import Column, coded, merge
from yurt.core.engine.distributions import Grouped, weighted
from yurt.core.engine.matching import different, drawn
from yurt.core.engine.permutation import Permutation, tiered
from yurt.core.kinds.lists import ascii_of, entries, facts
from yurt.core.model import Narrowing
from yurt.core.narrowing import fits
from yurt.core.patterns.parse import parse
from yurt.core.types import TEXT, Type

if TYPE_CHECKING:
    from yurt.core.engine.batch import Batch
    from yurt.core.engine.streams import Unit

SEXES = ("female", "male")
Codes = NDArray[np.int64]


# What must hold for the cells of a column.
Narrowed = tuple[tuple[str, Narrowing], ...]


class Lines:
    """A list in the locales of a run, ready to be drawn from, by locale or by locale and sex.

    `narrowed` leaves out the lines whose cells do not fit.
    """

    def __init__(self, name: str, locales: tuple[str, ...], by_sex: bool, narrowed: Narrowed = ()) -> None:
        self.locales = locales
        self.entries = entries(name, locales)
        group = np.array(self.entries.locale)
        if by_sex:
            group = group * 2 + np.array([SEXES.index(each) for each in self.entries.cells["sex"]])
        groups = len(locales) * (2 if by_sex else 1)
        left = np.ones(len(group), dtype=np.bool_)
        for column, narrowing in narrowed:
            left &= [fits(narrowing, cell) for cell in self.entries.cells[column]]
        order = np.argsort(group, kind="stable")
        self.order = order[left[order]]
        self.grouped = Grouped(np.array(self.entries.weights)[self.order], group[self.order], groups)
        self._words: dict[tuple[str, str], pa.Array] = {}

    def draw(self, u: Unit, group: Codes | int) -> Codes:
        """Return a line for each row, out of the row's group."""
        return self.order[self.grouped(u, group)]

    def words(self, column: str, shape: str = "") -> pa.Array:
        """Return a column of the list: as it is, `ascii`, or the `initial` of that."""
        if (column, shape) not in self._words:
            cells = self.entries.cells[column]
            if shape:
                names = (self.locales[number] for number in self.entries.locale)
                cells = [ascii_of(cell, locale) for cell, locale in zip(cells, names, strict=True)]
                cells = [cell[:1] for cell in cells] if shape == "initial" else cells
            self._words[column, shape] = strings(cells)
        return self._words[column, shape]


@lru_cache(maxsize=256)
def lines(name: str, locales: tuple[str, ...], by_sex: bool, narrowed: Narrowed) -> Lines:
    """Return a list ready to be drawn from."""
    return Lines(name, locales, by_sex, narrowed)


class Pick:
    """The line of a list that each row has."""

    def __init__(self, source: Lines, at: Codes) -> None:
        self.source = source
        self.at = at

    def text(self, column: str) -> Column:
        """Return a column of the lines."""
        return coded(self.at, self.source.words(column))

    def ascii(self, column: str, first_letter: bool = False) -> Column:
        """Return a column as it is written in addresses of the net."""
        return coded(self.at, self.source.words(column, "initial" if first_letter else "ascii"))

    def numbers(self, column: str) -> NDArray[np.float64]:
        """Return a column of numbers."""
        found: NDArray[np.float64] = np.array(self.source.entries.cells[column], dtype=np.float64)[self.at]
        return found


class World:
    """What the kind of one field asks for, for one batch. `unique` says whether the field is.

    `of` names another person and place than the record's own.

    What has been drawn is kept with the batch, not here: a world that its batch knew would be a circle, and circles
    keep their columns in memory until the garbage collector comes by.
    """

    def __init__(self, batch: Batch, field: str, unique: bool, of: str = "") -> None:
        self.batch = batch
        self.rows = len(batch.rows)
        self.locales = tuple(name for name, _ in batch.table.run.schema.locales)
        self.field = field
        self.unique = unique
        self.of = of
        self.path = ("world", of) if of else ("world",)
        self.shared = batch.shared

    # ---- what the whole record shares --------------------------------------------------------------------------

    def locale(self) -> Codes | int:
        """Return the number of each row's locale (0 for all, when there is one only)."""
        if len(self.locales) == 1:
            return 0
        if (self.of, "locale") not in self.shared:
            weights = np.array([share for _, share in self.batch.table.run.schema.locales])
            self.shared[self.of, "locale"] = weighted(weights)(self.batch.unit(*self.path, "locale"))
        found: Codes = self.shared[self.of, "locale"]
        return found

    def _sex(self) -> Codes:
        if (self.of, "sex") not in self.shared:
            self.shared[self.of, "sex"] = (self.batch.unit(*self.path, "sex") < 0.5).astype(np.int64)
        found: Codes = self.shared[self.of, "sex"]
        return found

    def sex(self) -> Column:
        return coded(self._sex(), strings(SEXES))

    def pick(self, name: str, by_sex: bool = False, own: bool = False) -> Pick:
        """Return a line of a list for each row: the record's, or the field's `own`."""
        key = (name, self.of, self.field if own else "")
        if key not in self.shared:
            source = lines(name, self.locales, by_sex, self.batch.table.narrowed.get(key, ()))
            group = self.locale() * 2 + self._sex() if by_sex else self.locale()
            u = self.batch.unit(self.field, "list", name) if own else self.batch.unit(*self.path, "list", name)
            self.shared[key] = Pick(source, source.draw(u, group))
        found: Pick = self.shared[key]
        return found

    def fact(self, name: str, by_sex: bool = False) -> Column:
        """Return a fact of each row's locale."""
        found = [facts(locale)[name] for locale in self.locales]
        if by_sex:
            words = strings([each[sex] for each in found for sex in SEXES])
            return coded(self.locale() * 2 + self._sex(), words)
        return coded(np.broadcast_to(self.locale(), (self.rows,)), strings(found))

    # ---- putting texts together --------------------------------------------------------------------------------

    def join(self, *parts: str | Column) -> Column:
        """Return the parts of each row, one after the other."""
        texts = [part if isinstance(part, str) else part.text(self.rows) for part in parts if part != ""]
        return Column(TEXT, joined(*texts))

    def form(self, name: str, parts: dict[str, Column]) -> Column:
        """Return the parts in the form that each row's locale gives, such as `{street} {house-number}`."""
        done: list[tuple[Codes, Column]] = []
        locale = np.broadcast_to(self.locale(), (self.rows,))
        for number, each in enumerate(self.locales):
            places = np.arange(self.rows) if len(self.locales) == 1 else np.flatnonzero(locale == number)
            pieces = [piece for piece in re.split(r"\{|\}", facts(each)[name]) if piece]
            texts = [parts[piece].take(places).text(len(places)) if piece in parts else piece for piece in pieces]
            if len(places):
                done.append((places, Column(TEXT, joined(*texts))))
        return merge(done, self.rows, TEXT)

    # ---- what a field has for itself ---------------------------------------------------------------------------

    def choose(self, *words: str) -> Column:
        """Return one of the words, each alike."""
        return coded((self.batch.unit(self.field, "choose") * len(words)).astype(np.int64), strings(words))

    def running_number(self) -> Column:
        """Return a different number for every row, as text."""
        number = tiered(self.batch.rows, self.batch.stream(self.field, "number", fixed=True))
        return Column(TEXT, arrow(number).cast(pa.string()))

    def matching(self, pattern: str, purpose: str | None = None) -> Column:
        """Return texts of a regular expression; `purpose` names the stream when several fields share the text."""
        if purpose:
            return drawn(parse(pattern), self.batch, *self.path, purpose)
        if self.unique:
            return different(parse(pattern), self.batch, self.field)
        return drawn(parse(pattern), self.batch, self.field, "value")

    def matching_fact(self, name: str) -> Column:
        """Return texts of the regular expression that is a fact of each row's locale; the record shares them."""
        done: list[tuple[Codes, Column]] = []
        locale = np.broadcast_to(self.locale(), (self.rows,))
        for number, each in enumerate(self.locales):
            places = np.flatnonzero(locale == number)
            if len(places):
                part = World(self.batch.select(places), self.field, unique=False, of=self.of)
                done.append((places, part.matching(facts(each)[name], purpose=name)))
        return merge(done, self.rows, TEXT)

    def near(self, pick: Pick, column: str, spread: float, kind: Type) -> Column:
        """Return numbers within `spread` of a column of numbers."""
        values = pick.numbers(column) + (self.batch.unit(*self.path, "near", column) * 2 - 1) * spread
        return Column(kind, np.rint(values * 10.0**kind.places).astype(np.int64))

    def digits(self, prefix: str, size: int, weights: tuple[int, ...]) -> Column:
        """Return numbers of a prefix, `size` free digits and a check digit.

        The check digit makes the sum of all digits, times the weights in turn from the left, a multiple of ten.
        """
        if self.unique:
            source = self.batch.stream(self.field, "unique", fixed=True)
            free = Permutation(10**size, source)(self.batch.rows)
        else:
            free = (self.batch.unit(self.field, "value") * 10**size).astype(np.int64)
        cells = np.empty((self.rows, len(prefix) + size + 1), dtype=np.uint8)
        cells[:, : len(prefix)] = np.frombuffer(prefix.encode(), dtype=np.uint8) - ord("0")
        for place in range(len(prefix) + size - 1, len(prefix) - 1, -1):
            free, cells[:, place] = np.divmod(free, 10)
        total = sum(cells[:, at].astype(np.int64) * weights[at % len(weights)] for at in range(cells.shape[1] - 1))
        cells[:, -1] = -np.asarray(total) % 10
        return Column(TEXT, fixed_strings(cells + np.uint8(ord("0"))))
