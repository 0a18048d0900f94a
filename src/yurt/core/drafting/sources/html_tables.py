"""Tables of HTML pages as samples: their header cells are titles, their rows are records."""

from __future__ import annotations

import re

import numpy as np

from yurt.core.base.arrays import strings
from yurt.core.base.data_classes import dataclass, field
from yurt.core.drafting.samples.column import Column
from yurt.core.drafting.samples.reading import Sample
from yurt.core.drafting.samples.sketch import Sketch
from yurt.core.drafting.samples.typed import with_type
from yurt.core.drafting.sources.source import Asked
from yurt.core.formats.common.raw import of_cells
from yurt.core.language.over_columns import field_names

# A table for the layout of a page has fewer rows or columns.
ROWS, COLUMNS, WIDEST, MOST_SPAN = 3, 2, 500, 100


@dataclass
class Table:
    """A table: the texts of its cells by row, and which of them are headers."""

    id: str
    caption: str = ""
    rows: list[list[tuple[str, bool]]] = field(default_factory=list)
    _header: bool = False
    _span: int = 1
    _open: bool = False

    def begin_row(self) -> None:
        """Begin a row."""
        self.rows.append([])

    def begin_cell(self, header: bool, attributes: dict[str, str]) -> None:
        """Begin a cell; it may span several columns."""
        self._header, self._open = header, True
        told = attributes.get("colspan", "1")
        self._span = min(int(told), MOST_SPAN) if told.isdigit() else 1

    def end_cell(self, text: str) -> None:
        """Take the text of the open cell."""
        if self._open and self.rows:
            self.rows[-1] += [(text, self._header)] * max(self._span, 1)
            self._open = False


def samples_of(tables: list[Table], asked: Asked, used: set[str]) -> list[Sample]:
    """Return the tables that have titles and rows as samples."""
    found: list[Sample] = []
    for table in tables:
        rows = [each for each in table.rows if each]
        if len(rows) < ROWS + 1 or not COLUMNS <= len(rows[0]) <= WIDEST or not all(header for _, header in rows[0]):
            continue
        titles = _titles([text for text, _ in rows[0]])
        body = [[text for text, _ in row] for row in rows[1:] if len(row) == len(titles)]
        if len(body) < ROWS:
            continue
        name = _name(table, len(found), used)
        used.add(name)
        found.append(_sample(name, asked.name, titles, body))
    return found


def _titles(texts: list[str]) -> list[str]:
    found: list[str] = []
    for at, text in enumerate(texts, 1):
        title = text or f"column {at}"
        while title in found:
            title += " (2)"
        found.append(title)
    return found


def _name(table: Table, number: int, used: set[str]) -> str:
    told = re.sub(r"\W+", "_", table.caption or table.id).strip("_").lower()
    name = told if re.fullmatch(r"[^\W\d]\w{0,30}", told) else f"table_{number + 1}"
    while name in used:
        name += "_rows"
    return name


def _sample(name: str, source: str, titles: list[str], body: list[list[str]]) -> Sample:
    found = Sample(f"{source}, table `{name}`", name, len(body), np.arange(len(body), dtype=np.int64))
    names = field_names(titles)
    for at, title in enumerate(titles):
        raw = of_cells(strings([row[at] or None for row in body]))
        sketch = Sketch()
        sketch.add(raw)
        found.columns[title] = with_type(Column(title, names[title], raw, sketch))
    return found
