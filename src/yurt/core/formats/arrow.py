"""The file format of Apache Arrow: typed columns as they are in memory."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import IO

import pyarrow as pa

from yurt.core.formats.common.columnar import Typed, read_batches
from yurt.core.formats.common.format import Format, Out, Writer
from yurt.core.formats.common.raw import Block, Fault, Reading
from yurt.core.formats.common.settings import Chosen, complete
from yurt.core.formats.common.tree import layout_of, with_labels
from yurt.core.formats.common.values import CHILDREN, FIELDS
from yurt.core.model import Record


@dataclass(frozen=True, slots=True, kw_only=True)
class Arrow(Format):
    """The IPC file format."""

    def writer(self, out: Out, record: Record, names: list[str]) -> Writer:
        return ArrowWriter(out, record)


class ArrowWriter:
    """Writes one record batch per block."""

    def __init__(self, out: Out, record: Record) -> None:
        self.out, self.typed, self.size = out, Typed(record), 0
        self.file: pa.RecordBatchFileWriter | None = None

    def rendered(self, batch: pa.RecordBatch, first_row: int) -> pa.RecordBatch:
        """Return a block with its final types."""
        return self.typed.batch(batch)

    def put(self, block: pa.RecordBatch) -> None:
        """Write a block."""
        if self.file is None:
            self.file = pa.ipc.new_file(pa.PythonFile(self, "w"), block.schema)
        self.file.write_batch(block)

    def finish(self, empty: Callable[[], pa.RecordBatch]) -> None:
        """Write the footer."""
        if self.file is None:
            self.put(self.typed.batch(empty()))
        assert self.file is not None
        self.file.close()

    # ---- the file that Arrow writes to

    closed = False

    def write(self, data: bytes) -> int:
        """Take bytes of the file."""
        self.out.write(bytes(data))
        self.size += len(data)
        return len(data)

    def flush(self) -> None:
        """Nothing is kept back."""

    def close(self) -> None:
        """The file is closed elsewhere."""


def _read(stream: IO[bytes], record: Record, labels: tuple[str, ...]) -> Reading:
    layout = with_labels(layout_of(record), labels)

    def pieces() -> Iterator[Block]:
        stream.seek(0)
        try:
            file = pa.ipc.open_file(stream)
        except (pa.ArrowException, OSError) as fault:
            reading.faults.append(Fault(None, f"not an Arrow file: {str(fault).partition(chr(10))[0]}"))
            return
        yield from read_batches((file.get_batch(at) for at in range(file.num_record_batches)), layout, reading)

    reading = Reading(pieces)
    return reading


SETTINGS = (FIELDS, CHILDREN)


def _configured(chosen: Chosen) -> Format:
    return Arrow(
        name="arrow", suffixes=(".arrow", ".ipc"), meaning="typed columns as Apache Arrow has them in memory",
        settings=SETTINGS, configured=_configured, read=_read, typed=True, binary=True, nests=True,
        inside=chosen["children"] == "inside",
    )  # fmt: skip


FORMAT = _configured(complete("arrow", SETTINGS, {}))
