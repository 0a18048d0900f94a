"""Holds files against a schema: each in blocks, those first that others refer to.

Memory does not grow with the number of rows, but for what must be compared with other rows: the values of unique
fields, the keys that others refer to, and the fields that others read through references.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field, replace
from datetime import date
from functools import partial
from typing import IO

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from yurt.core.base.arrays import arrow, flags, joined, numbers
from yurt.core.base.threads import in_order
from yurt.core.columns.column import Column, Mask, merge
from yurt.core.formats import by_name, read_csv, read_json, read_xml
from yurt.core.formats.raw import Block, Fault, Reading
from yurt.core.formats.tree import Layout, layout_of
from yurt.core.language.check import Plan, plan
from yurt.core.model import Nested, Record, Reference, Schema, Sequence, Uuid
from yurt.core.text.lexical import text_of
from yurt.core.verify.frame import Frame, Parents, marks_of
from yurt.core.verify.known import Known, members_read
from yurt.core.verify.validator import Judge
from yurt.core.verify.violation import Violation


@dataclass(frozen=True, slots=True)
class Data:
    """A file with records of one type: its name for messages, how to open it, and its format."""

    name: str
    open: Callable[[], IO[bytes]]
    format: str


# What the columns are called that say of a record what it is a case of.
LABELS = ("case", "technique", "target", "partition", "expected", "violates", "reason")


def _with_labels(layout: Layout) -> Layout:
    labels: dict[str, tuple[str, Layout | None]] = {each: (f"@{each}", None) for each in LABELS}
    return Layout(labels | layout.fields)


@dataclass(frozen=True, slots=True)
class Label:
    """What the label columns say of a row: the case, whether it is to be accepted, and what it violates where."""

    row: int
    case: str
    accept: bool
    target: str
    violates: str
    partition: str


@dataclass
class Report:
    """What is said of one file when it is done."""

    data: Data
    rows: int = 0
    faults: list[Fault] = field(default_factory=list)
    strangers: list[str] = field(default_factory=list)
    unjudged: dict[str, str] = field(default_factory=dict)
    labels: list[Label] = field(default_factory=list)
    # Bytes that were kept to compare rows with one another.
    kept: int = 0
    lines_of: Callable[[list[int]], dict[int, int]] = lambda rows: {}


def leaf_names(record: Record) -> list[str]:
    """Return the paths of the columns that a format without records inside records has, by field."""
    return [
        each.name
        for each in record.shown
        if not isinstance(each.head, Nested) and record.list_around(each.name) in (None, each.name)
    ]


class Verification:
    """One look at some files."""

    def __init__(
        self, schema: Schema, data: dict[str, Data], today: date, whole: bool = True, workers: int = 0
    ) -> None:
        """`data` is one file a record type; not `whole` says that rows may be left out of them."""
        self.schema, self.data, self.today, self.whole = schema, data, today, whole
        self.workers = workers or os.cpu_count() or 1
        # Called with every block of rows, once it is judged.
        self.watch: Callable[[Record, Frame], None] = lambda record, frame: None
        self.plan: Plan = plan(schema)
        self.known = Known(schema, set(data))
        self.members = members_read(schema)
        self.parents: dict[str, Parents] = {}
        self.reports: dict[str, Report] = {}

    def run(self, progress: Callable[[int], None] = lambda rows: None) -> Iterator[Violation]:
        """Yield everything that is wrong; the reports are complete afterwards."""
        for name in self._order():
            yield from self._file(self.schema.records[name], self.data[name], progress)

    def _order(self) -> list[str]:
        """Return the record types with data, those first that others refer to."""
        order: list[str] = []

        def add(name: str, above: tuple[str, ...]) -> None:
            if name in order or name in above:
                return
            for each in self.schema.records[name].fields:
                if isinstance(each.head, Reference) and each.head.record != name:
                    add(each.head.record, (*above, name))
            order.append(name)

        for name in self.data:
            add(name, ())
        return [each for each in order if each in self.data]

    def _source(self, record: Record, data: Data, stream: IO[bytes]) -> Reading:
        if data.format == "csv":
            names = {".".join(record.titles(name)): name for name in leaf_names(record)}
            names |= {label: f"@{label}" for label in LABELS if label not in names}
            source = read_csv.read(stream, list(names))
            make = source.block

            def renamed(piece: object) -> Block:
                block = make(piece)
                return Block(block.size, {names[title]: raw for title, raw in block.columns.items()})

            source.block = renamed
            return source
        read = read_xml.read if data.format == "xml" else read_json.read
        return read(stream, _with_labels(layout_of(record)))

    def _file(self, record: Record, data: Data, progress: Callable[[int], None]) -> Iterator[Violation]:
        report = self.reports[record.name] = Report(data)
        judge = Judge(self.schema, record, self.plan, self.known, self.today, not by_name()[data.format].typed)
        with data.open() as stream:
            source = self._source(record, data, stream)
            kept = _Kept(record, self.members[record.name], self.plan, self.known, self._referred(record))
            judged = partial(self._judged, source, judge)
            for _, (frame, violations) in in_order(judged, source.pieces(), self.workers):
                report.labels += _labels(frame, report.rows)
                for each in violations:
                    yield replace(each, rows=each.rows + report.rows)
                yield from self._dangling(record, frame, report.rows)
                self.watch(record, frame)
                kept.add(frame, report.rows)
                report.rows += frame.size
                progress(frame.size)
            places = read_csv.lines_at(stream, [each.at for each in source.faults if each.at is not None])
            faults = (each if each.at is None else Fault(places[each.at], each.message) for each in source.faults)
            report.faults = sorted(faults, key=lambda each: each.line or 0)
            report.strangers = list(source.strangers)
            report.unjudged = judge.unjudged
            report.kept = kept.size
            if kept.referred:
                self.parents[record.name] = kept.parents()
            yield from kept.repeated()
            yield from kept.lost()
            yield from kept.too_many(self.parents, self.whole)
            report.lines_of = lambda rows: self._lines(record, data, rows)

    def _judged(self, source: Reading, judge: Judge, piece: object) -> tuple[Frame, list[Violation]]:
        return judge.frame(source.block(piece), self.parents)

    def _lines(self, record: Record, data: Data, rows: list[int]) -> dict[int, int]:
        """Return the line on which each of some rows (counted from 0) begins, by reading the file once more."""
        with data.open() as stream:
            source = self._source(record, data, stream)
            if source.lines_of is not None:
                return source.lines_of(stream, rows)
            found: dict[int, int] = {}
            first = 0
            for block in map(source.block, source.pieces()):
                inside = [row for row in rows if first <= row < first + block.size]
                found |= {row: int(block.lines[row - first]) for row in inside} if block.lines is not None else {}
                first += block.size
                if first > max(rows, default=0):
                    break
            return found

    def _referred(self, record: Record) -> bool:
        """Return whether files that are read here refer to this one."""
        others = (self.schema.records[name] for name in self.data)
        return any(
            isinstance(each.head, Reference) and each.head.record == record.name
            for one in others
            for each in one.fields
        )

    def _dangling(self, record: Record, frame: Frame, first: int) -> Iterator[Violation]:
        """Every reference has the key of a row."""
        for each in record.shown:
            head = each.head
            if not isinstance(head, Reference) or each.name not in frame.parents:
                continue
            if record.list_around(each.name) is not None:
                continue
            lost = (frame.found(each.name) < 0) & ~frame.missing(each.name) & ~frame.at_fault(each.name)
            rows = np.flatnonzero(lost)
            if len(rows):
                frame.faulty[each.name] = frame.at_fault(each.name) | lost
                raw = frame.raw[each.name]
                yield Violation(
                    record.name, each.name, "reference", first + rows,
                    lambda at, raw=raw, rows=rows: raw.shown(int(rows[at])),  # type: ignore[misc]
                    lambda at, head=head: f"the key of a row of `{head.record}`",  # type: ignore[misc]
                )  # fmt: skip


def _labels(frame: Frame, first: int) -> list[Label]:
    """Return what label columns say of each row, where there are any."""
    columns = [frame.raw.get(f"@{each}") for each in ("case", "expected", "target", "violates", "partition")]
    if any(each is None or each.missing.all() for each in columns[:3]):
        return []
    texts = [each.texts.to_pylist() if each is not None else [None] * frame.size for each in columns]
    return [
        Label(first + at, str(case), expected == "accept", str(target), str(violates or ""), str(partition or ""))
        for at, (case, expected, target, violates, partition) in enumerate(zip(*texts, strict=True))
        if expected in ("accept", "reject")
    ]


class _Kept:
    """What of the rows of a file is kept to be compared at its end."""

    def __init__(self, record: Record, members: set[str], plan: Plan, known: Known, referred: bool) -> None:
        self.record, self.plan, self.known, self.referred = record, plan, known, referred
        self.groups: list[tuple[str, ...]] = []
        for each in record.shown:
            if record.list_around(each.name) is None and (each.unique or isinstance(each.head, Sequence | Uuid)):
                self.groups.append((each.name,))
        if record.key is not None and (record.key.name,) not in self.groups and not record.key.hidden:
            self.groups.append((record.key.name,))
        parent = record.parent_field
        distinct = [
            (*([parent.name] if parent is not None else []), each.name)
            for each in record.shown if isinstance(each.head, Reference) and each.phrases[0].distinct
        ]  # fmt: skip
        every = [*record.unique, *distinct, record.count.combinations]
        self.groups += [each for each in every if each and not any(record.by_name[name].hidden for name in each)]
        self.values: dict[tuple[str, ...], list[pa.Array]] = {each: [] for each in self.groups}
        self.rows: dict[tuple[str, ...], list[NDArray[np.int64]]] = {each: [] for each in self.groups}
        self.counted = (parent.name,) if parent is not None and not parent.hidden else None
        if self.counted is not None:
            self.values.setdefault(self.counted, [])
            self.rows.setdefault(self.counted, [])
        self.trees = [
            each.name for each in record.shown if isinstance(each.head, Reference) and each.head.record == record.name
        ]
        for name in self.trees:
            self.values.setdefault((name,), [])
            self.rows.setdefault((name,), [])
        self.member_names = [each for each in members if referred and not self._why_not(each)]
        self.keys: list[Column] = []
        self.members: dict[str, list[tuple[Column, Mask]]] = {each: [] for each in self.member_names}
        self.total = 0

    def _why_not(self, path: str) -> str:
        if path in self.record.by_name:
            return self.known.field(self.record, path)
        step = next(name for name in self.record.by_name if path.startswith(name + "."))
        return self.known.member(self.record, step, path[len(step) + 1 :])

    @property
    def size(self) -> int:
        """The bytes that are kept."""
        return sum(each.nbytes for arrays in self.values.values() for each in arrays)

    def add(self, frame: Frame, first: int) -> None:
        """Keep what is needed of a block."""
        self.total += frame.size
        for group in self.values:
            good = np.ones(frame.size, dtype=np.bool_)
            for name in group:
                good &= ~frame.missing(name) & ~frame.at_fault(name)
            places = np.flatnonzero(good)
            columns = [frame.fields[name] if good.all() else frame.fields[name].take(places) for name in group]
            array = (
                columns[0].arrow(len(places))
                if len(group) == 1
                else joined(*(each.text(len(places)) for each in columns), between="\x1f")
            )
            if pa.types.is_dictionary(array.type):
                array = array.dictionary.take(array.indices)
            self.values[group].append(array)
            self.rows[group].append(first + places)
        if self.referred and self.record.key is not None:
            self.keys.append(frame.fields[self.record.key.name].spread(frame.size))
            for path in self.member_names:
                self.members[path].append(self._member(frame, path))

    def _member(self, frame: Frame, path: str) -> tuple[Column, Mask]:
        if path in self.record.by_name:
            return frame.named(path).spread(frame.size), frame.at_fault(path)
        step = next(name for name in self.record.by_name if path.startswith(name + "."))
        rest = path[len(step) + 1 :]
        return frame.member(step, rest).spread(frame.size), ~frame.sound_member(step, rest)

    def parents(self) -> Parents:
        """Return the rows for those that refer to them."""
        assert self.record.key is not None
        members = {
            path: (
                _together([column for column, _ in parts], self.total),
                np.concatenate([mask for _, mask in parts] or [np.zeros(0, bool)]),
            )
            for path, parts in self.members.items()
            if parts
        }
        keys = _together(self.keys, self.total) if self.keys else None
        if keys is None:
            from yurt.core.columns.column import constant

            keys = constant("").spread(0)
        return Parents(keys, self.total, members)

    def repeated(self) -> Iterator[Violation]:
        """Yield what comes again although it is unique: every row but the first with a value."""
        for group in self.groups:
            values = _chunked(self.values[group])
            if not len(values) or _rising(values) or len(pc.unique(values)) == len(values):
                continue
            again = _ordinals(values) > 0
            rows = np.concatenate(self.rows[group])[again]
            taken = values.filter(arrow(again))
            name = ", ".join(group)
            yield Violation(
                self.record.name, name, "unique", rows,
                lambda at, taken=taken: str(taken[at].as_py()).replace("\x1f", ", "),  # type: ignore[misc]
                lambda at: "a value that no row before has",
            )  # fmt: skip

    def lost(self) -> Iterator[Violation]:
        """Yield references of a tree to rows that are not there."""
        key = self.record.key
        for name in self.trees:
            if key is None or (key.name,) not in self.values:
                continue
            values, keys = _chunked(self.values[name,]), _chunked(self.values[key.name,])
            if not len(values):
                continue
            lost = ~np.asarray(pc.is_in(values, value_set=keys.combine_chunks()).to_pylist(), dtype=np.bool_)
            if lost.any():
                taken = values.filter(arrow(lost))
                yield Violation(
                    self.record.name, name, "reference", np.concatenate(self.rows[name,])[lost],
                    lambda at, taken=taken: str(taken[at].as_py()),  # type: ignore[misc]
                    lambda at: f"the key of a row of `{self.record.name}`",
                )  # fmt: skip

    def too_many(self, parents: dict[str, Parents], whole: bool) -> Iterator[Violation]:
        """Yield the children that a parent has too many of, and parents that have too few."""
        count = self.record.count
        if self.counted is None or count.per is None:
            return
        values = _chunked(self.values[self.counted])
        if len(values) and not _few_in_a_row(values, count.high):
            beyond = _ordinals(values) >= count.high
            rows = np.concatenate(self.rows[self.counted])[beyond]
            if len(rows):
                taken = values.filter(arrow(beyond))
                yield Violation(
                    self.record.name, self.counted[0], "count", rows,
                    lambda at: str(taken[at].as_py()),
                    lambda at: f"{count.low} to {count.high} rows of one `{count.per}`",
                )  # fmt: skip
        if not whole or not count.low or count.per not in parents:
            return
        above = parents[count.per]
        found = pc.index_in(_as_text(values), value_set=above.keys) if len(values) else None
        at = (
            numbers(pc.drop_null(found).cast("int64").combine_chunks(), np.int64)
            if found is not None
            else np.zeros(0, np.int64)
        )
        children = np.bincount(at, minlength=above.size)
        few = np.flatnonzero(children < count.low)
        if len(few):
            yield Violation(
                count.per, f"{self.record.name} rows", "count", few,
                lambda at: str(int(children[few[at]])), lambda at: f"{count.low} to {count.high}",
            )  # fmt: skip


def _chunked(arrays: list[pa.Array]) -> pa.ChunkedArray:
    return pa.chunked_array(arrays) if arrays else pa.chunked_array([], pa.string())


def _as_text(values: pa.ChunkedArray) -> pa.ChunkedArray:
    return pa.chunked_array([text_of(each) for each in values.chunks], pa.string())


def _rising(values: pa.ChunkedArray) -> bool:
    """Return whether each number is larger than the one before, as in a sequence: then none comes twice."""
    if not pa.types.is_integer(values.type):
        return False
    whole = np.concatenate([numbers(each, np.int64) for each in values.chunks])
    return bool((np.diff(whole) > 0).all())


def _few_in_a_row(values: pa.ChunkedArray, most: int) -> bool:
    """Return whether equal values stand side by side only, and never more than so many."""
    whole = pa.concat_arrays(_as_text(values).chunks)
    changes = np.concatenate(([True], flags(pc.not_equal(whole[1:], whole[:-1]))))
    starts = np.flatnonzero(changes)
    if np.diff(np.append(starts, len(whole))).max() > most:
        return False
    heads = whole.take(arrow(starts))
    marks = marks_of(heads)
    if marks is not None:
        ordered = np.sort(marks)
        if not (ordered[1:] == ordered[:-1]).any():
            return True
    return len(pc.unique(heads)) == len(heads)


def _ordinals(values: pa.ChunkedArray) -> NDArray[np.int64]:
    """Return how many equal values stand before each."""
    found = pc.index_in(values, value_set=pc.unique(values))
    codes = np.concatenate([numbers(each, np.int32) for each in found.chunks])
    order = np.argsort(codes, kind="stable")
    ordered = codes[order]
    starts = np.flatnonzero(np.concatenate(([True], ordered[1:] != ordered[:-1])))
    ordinals = np.empty(len(codes), dtype=np.int64)
    ordinals[order] = np.arange(len(codes)) - np.repeat(starts, np.diff(np.append(starts, len(codes))))
    return ordinals


def _together(columns: list[Column], size: int) -> Column:
    """Put the columns of blocks one behind the other."""
    at, parts = 0, []
    for each in columns:
        length = len(each.values)
        parts.append((np.arange(at, at + length), each))
        at += length
    return merge(parts, size, columns[0].type)
