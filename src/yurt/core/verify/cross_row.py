"""The values of a file that are kept to compare its rows with one another at the end."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow, decoded, flags, numbers
from yurt.core.base.data_classes import replace
from yurt.core.base.tuples import apart, together
from yurt.core.model import Count, Record, Reference
from yurt.core.text.forms import text_of
from yurt.core.verify.frame import Frame, Parents
from yurt.core.verify.keys import marks_of
from yurt.core.verify.referred import Referred
from yurt.core.verify.violation import Violation


class CrossRowState:
    """The values of a file that are kept for comparison at its end."""

    def __init__(self, record: Record, referred: Referred | None) -> None:
        """`referred` collects what other files read of this one."""
        self.record, self.referred = record, referred
        self.groups: list[tuple[str, ...]] = []
        for each in record.shown:
            if record.list_around(each.name) is None and each.never_repeats:
                self.groups.append((each.name,))
        if record.key is not None and (record.key.name,) not in self.groups and not record.key.helper:
            self.groups.append((record.key.name,))
        parent = record.parent_field
        distinct = [
            (*([parent.name] if parent is not None else []), each.name)
            for each in record.shown if isinstance(each.head, Reference) and each.phrases[0].distinct
        ]  # fmt: skip
        every = [*record.unique, *distinct, record.count.combinations]
        self.groups += [each for each in every if each and not any(record.by_name[name].helper for name in each)]
        self.values: dict[tuple[str, ...], list[pa.Array]] = {each: [] for each in self.groups}
        self.rows: dict[tuple[str, ...], list[NDArray[np.int64]]] = {each: [] for each in self.groups}
        self.counted = (parent.name,) if parent is not None and not parent.helper else None
        if self.counted is not None:
            self.values.setdefault(self.counted, [])
            self.rows.setdefault(self.counted, [])
        self.trees = [
            each.name for each in record.shown if isinstance(each.head, Reference) and each.head.record == record.name
        ]
        for name in self.trees:
            self.values.setdefault((name,), [])
            self.rows.setdefault((name,), [])

    @property
    def size(self) -> int:
        """The number of bytes kept."""
        return sum(each.nbytes for arrays in self.values.values() for each in arrays)

    def add(self, frame: Frame, first: int) -> None:
        """Keep what is needed from a block."""
        for group in self.values:
            good = np.ones(frame.size, dtype=np.bool_)
            for name in group:
                good &= ~frame.missing(name) & ~frame.at_fault(name)
            places = np.flatnonzero(good)
            columns = [frame.fields[name] if good.all() else frame.fields[name].take(places) for name in group]
            array = (
                columns[0].arrow(len(places))
                if len(group) == 1
                else together([each.text(len(places)) for each in columns])
            )
            self.values[group].append(decoded(array))
            self.rows[group].append(first + places)
        if self.referred is not None:
            self.referred.add(frame)

    def repeated(self) -> Iterator[Violation]:
        """Yield repetitions of unique values: every row except the first with a value."""
        for group in self.groups:
            values = _chunked(self.values[group])
            if not len(values) or _rising(values) or len(pc.unique(values)) == len(values):
                continue
            again = _ordinals(values) > 0
            rows = np.concatenate(self.rows[group])[again]
            taken = pc.filter(values, arrow(again))
            name = ", ".join(group)
            yield found_in(
                self.record.name,
                name,
                "unique",
                rows,
                _texts(taken, len(group) > 1),
                "a value that no earlier row has",
            )

    def lost(self) -> Iterator[Violation]:
        """Yield references of a tree to rows that do not exist."""
        key = self.record.key
        for name in self.trees:
            if key is None or (key.name,) not in self.values:
                continue
            values, keys = _chunked(self.values[name,]), _chunked(self.values[key.name,])
            if not len(values):
                continue
            known = pc.is_in(values, value_set=keys.combine_chunks())
            lost = ~np.concatenate([flags(each) for each in known.chunks])
            if lost.any():
                taken = pc.filter(values, arrow(lost))
                rows = np.concatenate(self.rows[name,])[lost]
                expected = f"the key of a row of `{self.record.name}`"
                yield found_in(self.record.name, name, "reference", rows, _texts(taken), expected)

    def too_many(self, parents: dict[str, Parents], whole: bool) -> Iterator[Violation]:
        """Yield surplus children of parents, and parents with too few."""
        count = self.record.count
        if self.counted is None or count.per is None:
            return
        values = _chunked(self.values[self.counted])
        if len(values) and not _few_in_a_row(values, count.high):
            beyond = _ordinals(values) >= count.high
            rows = np.concatenate(self.rows[self.counted])[beyond]
            if len(rows):
                taken = pc.filter(values, arrow(beyond))
                expected = f"{_number(count)} rows of one `{count.per}`"
                yield found_in(self.record.name, self.counted[0], "count", rows, _texts(taken), expected)
        if not whole or not count.low or count.per not in parents:
            return
        above = parents[count.per]
        found = pc.index_in(_as_text(values), value_set=above.keys.texts) if len(values) else None
        at = (
            numbers(pc.cast(pc.drop_null(found), pa.int64()).combine_chunks(), np.int64)
            if found is not None
            else np.zeros(0, np.int64)
        )
        children = np.bincount(at, minlength=above.size)
        few = np.flatnonzero(children < count.low)
        if len(few):
            yield found_in(
                count.per,
                f"{self.record.name} rows",
                "count",
                few,
                lambda at: str(int(children[few[at]])),
                _number(count),
            )


def _number(count: Count) -> str:
    return str(count.low) if count.low == count.high else f"{count.low} to {count.high}"


def _texts(values: pa.ChunkedArray, several: bool = False) -> Callable[[int], str]:
    """Return a function that gives each value as text; `several` values of a row are separated by a comma."""
    if several:
        return lambda at: ", ".join(str(each) for each in apart(values[at].as_py()))
    return lambda at: str(values[at].as_py())


def found_in(
    record: str, field: str, rule: str, rows: NDArray[np.int64], value: Callable[[int], str], expected: str
) -> Violation:
    """Return a violation in rows of the file; `value` gives the value of the n-th of them."""
    found = Violation(rule, rows, rows, lambda at: expected, record, field)
    return replace(found, value=value)


def _chunked(arrays: list[pa.Array]) -> pa.ChunkedArray:
    return pa.chunked_array(arrays) if arrays else pa.chunked_array([], pa.string())


def _as_text(values: pa.ChunkedArray) -> pa.ChunkedArray:
    return pa.chunked_array([text_of(each) for each in values.chunks], pa.string())


def _rising(values: pa.ChunkedArray) -> bool:
    """Return whether each number is larger than the one before, as in a sequence: then none repeats."""
    if not pa.types.is_integer(values.type):
        return False
    whole = np.concatenate([numbers(each, np.int64) for each in values.chunks])
    return bool((np.diff(whole) > 0).all())


def _few_in_a_row(values: pa.ChunkedArray, most: int) -> bool:
    """Return whether equal values are always adjacent, and never more than `most` of them."""
    whole = pa.concat_arrays(_as_text(values).chunks)
    changes = np.concatenate(([True], flags(pc.not_equal(whole[1:], whole[:-1]))))
    starts = np.flatnonzero(changes)
    if np.diff(np.append(starts, len(whole))).max() > most:
        return False
    heads = pc.take(whole, arrow(starts))
    marks = marks_of(heads)
    if marks is not None:
        ordered = np.sort(marks)
        if not (ordered[1:] == ordered[:-1]).any():
            return True
    return len(pc.unique(heads)) == len(heads)


def _ordinals(values: pa.ChunkedArray) -> NDArray[np.int64]:
    """Return how many equal values come before each."""
    found = pc.index_in(values, value_set=pc.unique(values))
    codes = np.concatenate([numbers(each, np.int32) for each in found.chunks])
    order = np.argsort(codes, kind="stable")
    ordered = codes[order]
    starts = np.flatnonzero(np.concatenate(([True], ordered[1:] != ordered[:-1])))
    ordinals = np.empty(len(codes), dtype=np.int64)
    ordinals[order] = np.arange(len(codes)) - np.repeat(starts, np.diff(np.append(starts, len(codes))))
    return ordinals
