"""The lists of the catalogue, ready for drawing, and the lines that rows have drawn."""

from __future__ import annotations

from collections import Counter

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from yurt.core.base.arrays import strings
from yurt.core.base.caches import kept
from yurt.core.columns.column import Column, coded
from yurt.core.kinds.lists import INSTEAD, LARGE, ascii_of, entries
from yurt.core.model import Restriction
from yurt.core.model.restriction import fits
from yurt.core.sampling.streams import Unit
from yurt.core.sampling.weights import Grouped

SEXES = ("female", "male")
Codes = NDArray[np.int64]
Mask = NDArray[np.bool_]
# A condition on the cells of a column.
Narrowed = tuple[tuple[str, Restriction], ...]
# The columns of a line one of which must contain a text; or the size that a city must have.
Criterion = tuple[tuple[str, ...], str]
# A group of rows: the number of its locale, its sex (-1 is either), and other criteria for its lines.
Group = tuple[int, int, tuple[Criterion, ...]]
SIZE = ("size",)
# The middle year of birth of a group of people, and the column with the best year of a name.
COHORT = ("cohort",)
BORN = "born"
# Years by which a name is early or late, and its weight at its best and worst time.
FASHION, OFTEN, SELDOM = 13.0, 2.6, 0.04
# The class of a job without one in a tester's own list, and the share of women in it.
OF_ALL, EVEN = "1", "50"


class Lines:
    """A list in several locales, with the lines that each group of rows draws from stored together.

    `narrowed` excludes the lines whose cells do not fit. A group whose criteria no line meets has all lines of its
    locale: the value that fixes it is the tester's own.
    """

    def __init__(
        self, name: str, locales: tuple[str, ...], folder: str, groups: tuple[Group, ...], narrowed: Narrowed = ()
    ) -> None:
        self.locales = locales
        self.entries = entries(name, locales, folder)
        self._locale = np.array(self.entries.locale, dtype=np.int64)
        self._weights = np.array(self.entries.weights)
        sexes = np.array([SEXES.index(each) if each else -1 for each in self.entries.cells.get("sex", [])])
        left = np.ones(len(self._locale), dtype=np.bool_)
        for column, restriction in narrowed:
            left &= [fits(restriction, cell) for cell in self.entries.cells[column]]
        if not left.any():
            # `check` refuses that, unless the restriction is that of a kind which is only usual.
            left[:] = True
        self.found: list[NDArray[np.intp]] = []
        for locale, sex, criteria in groups:
            mask = left & (self._locale == locale)
            if sex >= 0 and len(sexes):
                mask &= (sexes == sex) | (sexes < 0)
            chosen = mask
            for criterion in criteria:
                chosen = chosen if criterion[0] == COHORT else chosen & self._meets(criterion, mask)
            self.found.append(np.flatnonzero(chosen if chosen.any() else mask))
        # A sex that `check` has excluded may have no remaining line: any line will do.
        some = np.concatenate(self.found)[:1]
        assert len(some), name
        self.found = [each if len(each) else some for each in self.found]
        self.order = np.concatenate(self.found)
        group = np.repeat(np.arange(len(groups)), [len(each) for each in self.found])
        self.grouped = Grouped(self._weights[self.order] * self._of_time(groups, group), group, len(groups))
        self._words: dict[tuple[str, str], pa.Array] = {}
        self._left = left
        self._fitting: dict[
            tuple[int, tuple[Criterion, ...], tuple[int, int] | None], tuple[NDArray[np.intp], NDArray[np.float64]]
        ] = {}
        self._same: dict[str, tuple[Codes, Codes, Codes]] = {}
        self._by_cell: dict[tuple[str, ...], dict[str, NDArray[np.intp]]] = {}

    def _of_time(self, groups: tuple[Group, ...], group: NDArray[np.intp]) -> NDArray[np.float64]:
        """Return how common each line was when the people of its group were born, because names come and go."""
        found = np.ones(len(self.order))
        if BORN not in self.entries.cells:
            return found
        peaks = np.array([float(each or 0) for each in self.entries.cells[BORN]])[self.order]
        for number, (_, _, criteria) in enumerate(groups):
            years = [float(text) for columns, text in criteria if columns == COHORT]
            mine = (group == number) & (peaks > 0)
            if years and mine.any():
                away = (peaks[mine] - years[0]) / FASHION
                found[mine] = SELDOM + (OFTEN - SELDOM) * np.exp(-0.5 * away * away)
        return found

    def fitting(
        self, locale: int, criteria: tuple[Criterion, ...], person: tuple[int, int] | None = None
    ) -> tuple[NDArray[np.intp], NDArray[np.float64]]:
        """Return the lines of a locale that meet criteria, and the cumulative sums of their weights up to 1.

        `person` is the job class and the sex of a person.
        """
        key = (locale, criteria, person)
        if key not in self._fitting:
            mask = self._left & (self._locale == locale)
            chosen = mask
            for criterion in criteria:
                chosen = chosen & (self._meets(criterion, mask) if criterion[0] == SIZE else self._among(*criterion))
            order = np.flatnonzero(chosen if chosen.any() else mask)
            weights = self._weights[order]
            if person is not None:
                order, weights = self._of_class(order, *person)
            ends = np.cumsum(weights / weights.sum())
            ends[-1] = 1.0
            self._fitting[key] = order, ends
        return self._fitting[key]

    def _of_class(self, jobs: NDArray[np.intp], wanted: int, sex: int) -> tuple[NDArray[np.intp], NDArray[np.float64]]:
        """Return the jobs open to a class of people, with their weights for a sex.

        They are those of the class, else of the next lower one, else of the lowest.
        """
        classes = np.array([int(float(each or OF_ALL)) for each in self.entries.cells["class"]])[jobs]
        lower = classes[classes <= wanted]
        chosen = jobs[classes == (lower.max() if len(lower) else classes.min())]
        women = np.array([float(each or EVEN) for each in self.entries.cells["women"]])[chosen] / 100
        return chosen, self._weights[chosen] * np.where(sex == 0, women, 1 - women)

    def _among(self, columns: tuple[str, ...], wanted: str) -> Mask:
        """Return the lines with a text in one of the columns, by an index that is made once."""
        if columns not in self._by_cell:
            index: dict[str, list[int]] = {}
            for each in columns:
                for at, cell in enumerate(self.entries.cells.get(each, [])):
                    index.setdefault(cell.casefold(), []).append(at)
            self._by_cell[columns] = {cell: np.array(found, dtype=np.intp) for cell, found in index.items()}
        found = np.zeros(len(self._locale), dtype=np.bool_)
        found[self._by_cell[columns].get(wanted.casefold(), [])] = True
        return found

    def _meets(self, criterion: Criterion, mask: Mask) -> Mask:
        columns, wanted = criterion
        if columns == SIZE:
            cities = sorted(self._sizes(mask).values(), reverse=True)
            least = cities[int((len(cities) - 1) * LARGE)]
            of_city = self._sizes(mask)
            large = np.array([of_city.get(each, 0.0) >= least for each in self.entries.cells["city"]])
            return large if wanted == "large" else ~large
        folded = wanted.casefold()
        cells = [self.entries.cells[each] for each in columns if each in self.entries.cells]
        return np.array([any(each[at].casefold() == folded for each in cells) for at in range(len(mask))])

    def _sizes(self, mask: Mask) -> dict[str, float]:
        sizes: dict[str, float] = {}
        for at in np.flatnonzero(mask):
            city = self.entries.cells["city"][at]
            sizes[city] = sizes.get(city, 0.0) + float(self._weights[at])
        return sizes

    def draw(self, u: Unit, group: Codes | int) -> Codes:
        """Return a line for each row, from the row's group."""
        return self.order[self.grouped(u, group)]

    def of_same(self, column: str) -> tuple[Codes, Codes, Codes]:
        """Return the first line with the same cell in a column as each line, their number, and its place among them.

        Such lines, of one locale, stand together.
        """
        if column not in self._same:
            keys = list(zip(self.entries.locale, self.entries.cells[column], strict=True))
            first = {key: at for at, key in reversed(list(enumerate(keys)))}
            begins = np.array([first[key] for key in keys], dtype=np.int64)
            counts = Counter(keys)
            size = np.array([counts[key] for key in keys], dtype=np.int64)
            self._same[column] = begins, size, np.arange(len(keys)) - begins
        return self._same[column]

    def cells(self, column: str) -> list[str]:
        """Return a column of the list, with replacements for empty cells."""
        if column == "region-short":
            return [each.partition("-")[2] for each in self.cells("region-code")]
        found = self.entries.cells.get(column)
        if column == "latin-feminine" and "latin" not in self.entries.cells:
            return self.cells("feminine")
        if column in INSTEAD:
            first = self.cells(INSTEAD[column])
            found = first if found is None else [each or other for each, other in zip(found, first, strict=True)]
        assert found is not None, column
        return found

    def words(self, column: str, shape: str = "") -> pa.Array:
        """Return a column of the list: as it is, `ascii`, or the `initial` of that."""
        if (column, shape) not in self._words:
            cells = self.cells(LATIN.get(column, column) if shape else column)
            if shape:
                locales = (self.locales[number] for number in self.entries.locale)
                # Most names are plain, and lists are long: these need no call.
                cells = [
                    cell.lower() if cell.isascii() and cell.isalpha() else ascii_of(cell, locale)
                    for cell, locale in zip(cells, locales, strict=True)
                ]
                cells = [cell[:1] for cell in cells] if shape == "initial" else cells
            self._words[column, shape] = strings(cells)
        return self._words[column, shape]


# The column with a name in Latin letters.
LATIN = {"name": "latin", "feminine": "latin-feminine", "city": "city-latin"}


@kept(256)
def lines(
    name: str, locales: tuple[str, ...], folder: str, groups: tuple[Group, ...], narrowed: Narrowed = ()
) -> Lines:
    """Return a list ready for drawing."""
    return Lines(name, locales, folder, groups, narrowed)


class Pick:
    """The line of a list that each row has."""

    def __init__(self, source: Lines, at: Codes) -> None:
        self.source = source
        self.at = at

    def text(self, column: str) -> Column:
        """Return a column of the lines."""
        return coded(self.at, self.source.words(column))

    def further(self, steps: int, column: str) -> Pick:
        """Return the line some steps further on, in a circle of those with the same cell in a column."""
        begins, size, place = (each[self.at] for each in self.source.of_same(column))
        return Pick(self.source, begins + (place + steps) % size)

    def has(self, column: str) -> bool:
        """Return whether the list has a column of its own."""
        return column in self.source.entries.cells

    def filled(self, column: str) -> Mask:
        """Return which rows have a text in a column of the list."""
        found: Mask = np.array([each != "" for each in self.source.entries.cells[column]])[self.at]
        return found

    def text_by_sex(self, male: str, female: str, sex: Codes) -> Column:
        """Return one of two columns: the one for women where the sex is 0."""
        size = len(self.source.entries.weights)
        both = pa.concat_arrays([self.source.words(female), self.source.words(male)])
        return coded(self.at + sex * size, both)

    def ascii_by_sex(self, male: str, female: str, sex: Codes) -> Column:
        """Return one of two columns as e-mail addresses and host names spell them."""
        size = len(self.source.entries.weights)
        both = pa.concat_arrays([self.source.words(female, "ascii"), self.source.words(male, "ascii")])
        return coded(self.at + sex * size, both)

    def ascii(self, column: str, first_letter: bool = False) -> Column:
        """Return a column as e-mail addresses and host names spell it."""
        return coded(self.at, self.source.words(column, "initial" if first_letter else "ascii"))

    def numbers(self, column: str) -> NDArray[np.float64]:
        """Return a column of numbers, with NaN for an empty cell."""
        cells = self.source.entries.cells.get(column) or [""] * len(self.source.entries.weights)
        found: NDArray[np.float64] = np.array([each or "nan" for each in cells], dtype=np.float64)[self.at]
        return found


def nth(source: Lines, group: Codes, places: Codes) -> Column:
    """Return the line at a position within the group of each row; a shorter list starts again."""
    found = np.zeros(len(group), dtype=np.int64)
    for number, own in enumerate(source.found):
        found = np.where(group == number, own[places % len(own)], found)
    return Pick(source, found).text("text")
