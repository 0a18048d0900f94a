"""Reads a file in a single pass: all rows are counted, and a random part of them is kept."""

from __future__ import annotations

import re
from collections.abc import Callable

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow
from yurt.core.base.data_classes import dataclass, field
from yurt.core.base.errors import YurtError
from yurt.core.base.threads import in_order
from yurt.core.drafting.samples.column import Column
from yurt.core.drafting.samples.sketch import Sketch
from yurt.core.drafting.samples.typed import with_type
from yurt.core.existing.columns import DEEPEST, Existing, refused
from yurt.core.formats.common.raw import NOTHING, Block, Raw, absent, of_values
from yurt.core.language.over_columns import field_names
from yurt.core.sampling.streams import stream

# The rows that are kept of a larger file.
ROWS = 100_000
ROWS_KEPT = stream(0, "rows of a sample")
PLAIN = re.compile(r"[^\W\d]\w*(\.[^\W\d]\w*)+")
# More columns than this are no table that somebody describes.
MOST_COLUMNS = 2_000


@dataclass
class Sample:
    """The columns of a file, in their order, with some or all of its `total` rows.

    `rows` are the numbers of the rows in the sample. `nested` are the paths of records inside the record.
    """

    name: str
    record: str
    total: int
    rows: NDArray[np.int64]
    columns: dict[str, Column] = field(default_factory=dict)
    nested: tuple[str, ...] = ()
    # Whether reading has ended before the end of the file.
    cut: bool = False
    # Whether its rows are in the order in which they were made.
    ordered: bool = True
    # Whether empty cells are missing values, because the format has no other word for them.
    typed: bool = False

    @property
    def whole(self) -> bool:
        """Whether all rows are in the sample."""
        return not self.cut and len(self.rows) == self.total

    @property
    def size(self) -> int:
        """The number of rows in the sample."""
        return len(self.rows)

    @property
    def by_name(self) -> dict[str, Column]:
        """The columns by the names of their fields."""
        return {each.name: each for each in self.columns.values()}


class _Kept:
    """The rows that are kept so far: each row with the same chance, which falls by half when there are too many."""

    def __init__(self, most: int) -> None:
        self.most, self.halvings = most, 0
        self.parts: list[tuple[NDArray[np.int64], dict[str, Raw]]] = []
        self.count = 0

    def add(self, first: int, raws: dict[str, Raw], size: int) -> None:
        rows = np.arange(first, first + size, dtype=np.int64)
        self._put(rows, raws)
        while self.count > 2 * self.most:
            self.halvings += 1
            parts, self.parts, self.count = self.parts, [], 0
            for own, columns in parts:
                self._put(own, columns)

    def _put(self, rows: NDArray[np.int64], raws: dict[str, Raw]) -> None:
        inside = np.flatnonzero(ROWS_KEPT.bits(rows.astype(np.uint64)) < np.uint64(2 ** (64 - self.halvings) - 1))
        if len(inside) < len(rows):
            rows, raws = rows[inside], {title: raw.take(inside) for title, raw in raws.items()}
        self.parts.append((rows, raws))
        self.count += len(rows)

    def columns(self, titles: list[str]) -> tuple[NDArray[np.int64], dict[str, Raw]]:
        """Return the numbers of the kept rows, and their columns."""
        if not self.parts:
            return np.empty(0, dtype=np.int64), {title: absent(0) for title in titles}
        rows = np.concatenate([own for own, _ in self.parts])
        return rows, {title: _joined([raws[title] for _, raws in self.parts]) for title in titles}


def _joined(parts: list[Raw]) -> Raw:
    texts = pa.concat_arrays([each.texts for each in parts])
    sorts = np.concatenate([each.sorts for each in parts])
    objects = None
    if any(each.objects is not None for each in parts):
        objects = [one for each in parts for one in (each.objects or each.texts.to_pylist())]
    return Raw(texts, sorts, objects)


def sample_of(
    file: Existing, most: int = ROWS, workers: int = 1, progress: Callable[[int], None] = lambda rows: None
) -> Sample:
    """Return a sample of a file of at most about `most` rows, from one pass over it.

    Raises YurtError for a file that cannot be read to its end.
    """
    if len(file.titles) > MOST_COLUMNS:
        raise YurtError(f"{file.name}: {len(file.titles):,} columns; a draft is for at most {MOST_COLUMNS:,}")
    titles = list(file.titles)
    kept, sketches, total = _Kept(most), {title: Sketch() for title in titles}, 0
    with file.open() as stream:
        reading = file.reading(stream)

        def looked(piece: object) -> tuple[int, dict[str, Raw], dict[str, NDArray[np.uint64]]]:
            block: Block = reading.block(piece)
            raws = {title: Raw(each.texts, each.sorts, each.objects) for title, each in file.raws(block).items()}
            hashes = {}
            for title in titles:
                raw = raws[title]
                there = pc.filter(raw.texts, arrow(~raw.missing)) if raw.missing.any() else raw.texts
                hashes[title] = sketches[title].hashes_of(there)
            return block.size, raws, hashes

        for _, (size, raws, hashes) in in_order(looked, reading.pieces(), workers):
            kept.add(total, raws, size)
            total += size
            for title, sketch in sketches.items():
                sketch.rows += size
                sketch.add_hashes(hashes[title])
            progress(size)
        if reading.faults:
            raise refused(file.name, reading.faults, file.open)
    rows, raws = kept.columns([*titles, *file.nested])
    found = Sample(file.name, file.record, total, rows, ordered=file.form.ordered, typed=file.form.typed)
    names = _names(titles, file.nested)
    found.columns = {title: with_type(Column(title, names[title], raws[title], sketches[title])) for title in titles}
    dotted = {title.rpartition(".")[0] for title in titles if title == names[title] and "." in title}
    found.nested = tuple(dict.fromkeys([*file.nested, *sorted(dotted)]))
    for path in file.nested:
        found.columns[path] = Column(path, names.get(path, path), raws[path], Sketch())
    for title in titles:
        _open(found, found.columns[title])
    return found


def _open(sample: Sample, column: Column, depth: int = 0) -> None:
    """Give the records inside a column of records columns of their own."""
    objects = column.raw.objects
    if objects is None or depth > DEEPEST or not column.count:
        return
    inside = [each for each, there in zip(objects, column.present.tolist(), strict=True) if there]
    if not all(isinstance(each, dict) for each in inside):
        return
    sample.nested = (*sample.nested, column.title)
    inner = list(dict.fromkeys(name for each in inside for name in each))
    names = field_names(inner)
    places = list(sample.columns)
    at = places.index(column.title)
    for title in inner:
        values = [each.get(title, NOTHING) if isinstance(each, dict) else NOTHING for each in objects]
        raw = of_values(values)
        sketch = Sketch()
        sketch.add(raw)
        own = with_type(Column(f"{column.title}.{title}", f"{column.name}.{names[title]}", raw, sketch))
        at += 1
        places.insert(at, own.title)
        sample.columns[own.title] = own
        _open(sample, own, depth + 1)
    sample.columns = {title: sample.columns[title] for title in [*places, *sample.columns]}


def _names(titles: list[str], nested: tuple[str, ...]) -> dict[str, str]:
    """Return the name of the field of each column; a path leads into a nested record."""
    paths = [each for each in titles if PLAIN.fullmatch(each)]
    flat = field_names([each for each in titles if each not in paths and not _inside(each, nested)])
    found = {}
    for title in titles:
        if title in flat:
            found[title] = flat[title]
            continue
        parts = title.split(".")
        found[title] = ".".join(field_names([part])[part] for part in parts)
    return found


def _inside(title: str, nested: tuple[str, ...]) -> bool:
    return any(title.startswith(each + ".") for each in nested)
