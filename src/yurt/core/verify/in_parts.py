"""Numbered files that hold the rows of a record type one after the other, read as one."""

from __future__ import annotations

import io
from collections import deque
from collections.abc import Iterator, Sequence
from typing import IO

from yurt.core.base.data_classes import replace
from yurt.core.formats.common.raw import Block, Fault, Reading, lines_at
from yurt.core.model import Record
from yurt.core.verify.verification import Data

# The files that are open at the same time: more than there are workers, fewer than a process may have.
OPEN = 300


def in_parts(parts: Sequence[Data]) -> Data:
    """Return the data of some files, in their order."""
    form = parts[0].form

    def read(stream: IO[bytes], record: Record, labels: tuple[str, ...]) -> Reading:
        assert isinstance(stream, _Streams)
        return _Parts(parts, stream, record, labels)

    name = (
        f"{parts[0].name} and {len(parts) - 1:,} more parts" if len(parts) > 2 else f"{parts[0].name} and 1 more part"
    )
    return Data(name, _Streams, replace(form, read=read))


class _Streams(io.BytesIO):
    """Stands for the files; those that are open are closed with it."""

    def __init__(self) -> None:
        super().__init__()
        self.streams: deque[IO[bytes]] = deque()

    def take(self, stream: IO[bytes]) -> None:
        if len(self.streams) == OPEN:
            self.streams.popleft().close()
        self.streams.append(stream)

    def close(self) -> None:
        while self.streams:
            self.streams.pop().close()
        super().close()


class _Parts(Reading):
    """The readings of the files, one after the other. Rows have numbers over all of them, and no lines."""

    def __init__(self, parts: Sequence[Data], streams: _Streams, record: Record, labels: tuple[str, ...]) -> None:
        self.parts, self.streams, self.record, self.labels = parts, streams, record, labels
        self.readings: list[Reading] = []
        self.lines_of = lambda stream, rows: {}

    def pieces(self) -> Iterator[tuple[Reading, object]]:
        """Yield the pieces of each file with its reading."""
        for part in self.parts:
            stream = part.open()
            self.streams.take(stream)
            own = part.form.reading(stream, self.record, self.labels)
            self.readings.append(own)
            yield from ((own, piece) for piece in own.pieces())

    def block(self, piece: tuple[Reading, object]) -> Block:
        """Return the rows of a piece, without lines: these are lines of one file."""
        reading, own = piece
        return replace(reading.block(own), lines=None)

    @property
    def faults(self) -> list[Fault]:  # type: ignore[override]
        """The faults of all files, each with its file."""
        found = []
        for part, reading in zip(self.parts, self.readings, strict=False):
            places = [each.at for each in reading.faults if each.at is not None]
            with part.open() as stream:
                lines = lines_at(stream, places) if places else {}
            for each in reading.faults:
                line = each.line if each.at is None else lines[each.at]
                place = f", line {line:,}" if line is not None else ""
                found.append(Fault(None, f"{part.name}{place}: {each.message}"))
        return found

    @property
    def strangers(self) -> dict[str, str]:  # type: ignore[override]
        """The unknown names in any of them."""
        return {name: near for each in self.readings for name, near in each.strangers.items()}
