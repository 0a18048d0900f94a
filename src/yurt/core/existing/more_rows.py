"""Rows below those of a file, in the same manner: keys go on counting, everything else is a row of the file again.

What a row is made of is known when the file has been read: a sample of its rows, and for each column whether its values
count. Neither grows with the file.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow, flags, numbers, word
from yurt.core.base.data_classes import dataclass, field
from yurt.core.existing.rows import FileBlock
from yurt.core.formats.common.raw import CELL, Raw
from yurt.core.sampling.streams import stream

SAMPLE = 10_000
BLOCK = 1 << 15
COUNTED = r"^(?P<before>.*?)(?P<number>[0-9]{1,15})(?P<after>[^0-9]*)$"


@dataclass
class Counting:
    """Whether the values of a column count up: always the same text around a number that grows."""

    before: str | None = None
    after: str = ""
    last: int = 0
    step: int = 0
    width: int = 0
    sort: int = CELL
    broken: bool = False

    def take(self, raw: Raw) -> None:
        """Go on with the next values."""
        if self.broken or not len(raw.texts):
            return
        found = pc.extract_regex(raw.texts, pattern=COUNTED)
        if raw.missing.any() or found.null_count:
            self.broken = True
            return
        names = [each.name for each in found.type]
        before, number, after = (pc.struct_field(found, [names.index(each)]) for each in ("before", "number", "after"))
        values = numbers(pc.cast(number, pa.int64()), np.int64)
        if self.before is None:
            self.before, self.after = before[0].as_py(), after[0].as_py()
            self.sort = int(raw.sorts[0])
            steps = np.diff(values)
            self.step = int(steps[0]) if len(steps) else 1
        else:
            steps = np.diff(values, prepend=self.last)
        same = flags(pc.and_(pc.equal(before, word(self.before)), pc.equal(after, word(self.after)))).all()
        # A number with leading zeros keeps its width.
        zeros = flags(pc.match_substring_regex(number, "^0[0-9]")).any()
        self.width = max(self.width, len(number[0].as_py()) if zeros else 0)
        if not same or (steps <= 0).any():
            self.broken = True
            return
        if (steps != self.step).any():
            self.step = 1
        self.last = int(values[-1])

    @property
    def counts(self) -> bool:
        """Whether the values of all rows count."""
        return self.before is not None and not self.broken

    def texts(self, start: int, size: int) -> pa.Array:
        """Return the next values, from the one with number `start` after the last."""
        values = self.last + self.step * np.arange(start + 1, start + size + 1, dtype=np.int64)
        digits = pc.cast(arrow(values), pa.string())
        digits = pc.utf8_lpad(digits, self.width, "0") if self.width else digits
        return pc.binary_join_element_wise(word(self.before or ""), digits, word(self.after), word(""))


@dataclass
class MoreRows:
    """What has been seen of a file, for the rows that go on below."""

    titles: tuple[str, ...]
    seed: int
    rows: int = 0
    sample: dict[str, Raw] = field(default_factory=dict)
    marks: NDArray[np.uint64] = field(default_factory=lambda: np.empty(0, dtype=np.uint64))

    def __post_init__(self) -> None:
        self.counting = {title: Counting() for title in self.titles}
        self.stream = stream(self.seed, "more rows", "sample")

    def take(self, block: FileBlock) -> None:
        """See the next rows: those with the smallest marks stay in the sample."""
        for title, counting in self.counting.items():
            counting.take(block.raws[title])
        marks = self.stream.bits(np.arange(block.start, block.start + block.size, dtype=np.uint64))
        every = np.concatenate([self.marks, marks])
        order = np.sort(np.argsort(every, kind="stable")[:SAMPLE])
        self.marks = every[order]
        for title in self.titles:
            raw, before = block.raws[title], self.sample.get(title)
            whole = raw if before is None else _joined(before, raw)
            self.sample[title] = whole.take(order.astype(np.int64))
        self.rows += block.size

    def blocks(self, count: int) -> Iterator[FileBlock]:
        """Yield the rows below those of the file."""
        if not self.rows:
            return
        choice = stream(self.seed, "more rows", "choice")
        for start in range(0, count, BLOCK):
            size = min(BLOCK, count - start)
            rows = np.arange(start, start + size, dtype=np.uint64)
            places = (choice.bits(rows) % np.uint64(len(self.marks))).astype(np.int64)
            raws = {}
            for title, counting in self.counting.items():
                if counting.counts:
                    raws[title] = Raw(counting.texts(start, size), np.full(size, counting.sort, dtype=np.uint8))
                else:
                    raws[title] = self.sample[title].take(places)
            yield FileBlock(self.rows + start, size, raws)

    def notes(self) -> list[str]:
        """Return sentences about keys for the summary."""
        counted = [title for title, each in self.counting.items() if each.counts]
        repeated = [
            title for title, each in self.counting.items()
            if not each.counts and len(self.marks) > 1 and _unique(self.sample[title])
        ]  # fmt: skip
        found = [f"below: {', '.join(f'`{each}`' for each in counted)} counted on"] if counted else []
        for title in repeated:
            told = f"`{title}`: no value is there twice, and none tells the next: below, values of the file come again"
            found.append(told)
        return found


def _joined(first: Raw, second: Raw) -> Raw:
    objects = None
    if first.objects is not None or second.objects is not None:
        objects = [*(first.objects or first.texts.to_pylist()), *(second.objects or second.texts.to_pylist())]
    array = None
    if first.array is not None and second.array is not None:
        array = pa.concat_arrays([first.array, second.array])
    texts = pa.concat_arrays([first.texts, second.texts])
    return Raw(texts, np.concatenate([first.sorts, second.sorts]), objects, array)


def _unique(raw: Raw) -> bool:
    return not raw.missing.any() and len(pc.unique(raw.texts)) == len(raw.texts)
