"""The file format of Apache Arrow: typed columns as they are in memory."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import IO

import pyarrow as pa

from yurt.core.base.data_classes import dataclass
from yurt.core.formats.common.columnar import TypedWriter, reader, titles
from yurt.core.formats.common.format import Format, Out, Writer
from yurt.core.formats.common.settings import Chosen, complete
from yurt.core.formats.common.values import CHILDREN, FIELDS
from yurt.core.model import Record


@dataclass(frozen=True, kw_only=True)
class Arrow(Format):
    """The IPC file format."""

    def writer(self, out: Out, record: Record, names: list[str]) -> Writer:
        return ArrowWriter(out, record)


class ArrowWriter(TypedWriter):
    """Writes one record batch per block."""

    def __init__(self, out: Out, record: Record) -> None:
        super().__init__(out, record)
        self.file: pa.RecordBatchFileWriter | None = None

    def put(self, block: pa.RecordBatch) -> None:
        """Write a block."""
        if self.file is None:
            self.file = pa.ipc.new_file(pa.PythonFile(self.sink, "w"), block.schema)
        self.file.write_batch(block)

    def finish(self, empty: Callable[[], pa.RecordBatch]) -> None:
        """Write the footer."""
        if self.file is None:
            self.put(self.typed.batch(empty()))
        assert self.file is not None
        self.file.close()


def _batches(stream: IO[bytes]) -> Iterable[pa.RecordBatch]:
    file = pa.ipc.open_file(stream)
    return (_checked(file.get_batch(at)) for at in range(file.num_record_batches))


def _checked(batch: pa.RecordBatch) -> pa.RecordBatch:
    """Return a batch whose buffers are as long as its lengths say: a damaged file may say anything."""
    batch.validate(full=True)
    return batch


def _schema(stream: IO[bytes]) -> pa.Schema:
    return pa.ipc.open_file(stream).schema


SETTINGS = (FIELDS, CHILDREN)


def _configured(chosen: Chosen) -> Format:
    return Arrow(
        name="arrow", suffixes=(".arrow", ".ipc"), meaning="typed columns as Apache Arrow has them in memory",
        settings=SETTINGS, configured=_configured, read=reader("an Arrow file", _batches),
        titles=titles("an Arrow file", _schema), typed=True, columnar=True, binary=True, nests=True,
        inside=chosen["children"] == "inside",
    )  # fmt: skip


FORMAT = _configured(complete("arrow", SETTINGS, {}))
