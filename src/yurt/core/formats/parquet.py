"""Parquet: columns with logical types, in row groups, for programs that analyse."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import IO, TYPE_CHECKING

import pyarrow as pa

from yurt.core.base.data_classes import dataclass
from yurt.core.formats.common.columnar import TypedWriter, reader, titles
from yurt.core.formats.common.format import Format, Out, Writer
from yurt.core.formats.common.settings import Chosen, Setting, complete
from yurt.core.formats.common.values import CHILDREN, FIELDS
from yurt.core.model import Record

if TYPE_CHECKING:
    import pyarrow.parquet as pq

GROUP = 1 << 17
ROWS = 1 << 15
COMPRESSION = Setting("compression", "how the pages are compressed", "zstd", "none", ("zstd", "snappy", "gzip", "none"))


@dataclass(frozen=True, kw_only=True)
class Parquet(Format):
    """Parquet with a compression."""

    compression: str = "zstd"

    def writer(self, out: Out, record: Record, names: list[str]) -> Writer:
        return ParquetWriter(out, record, self.compression)


class ParquetWriter(TypedWriter):
    """Writes a file in row groups of 131,072 rows."""

    def __init__(self, out: Out, record: Record, compression: str) -> None:
        super().__init__(out, record)
        self.compression = compression
        self.rows = 0
        self.waiting: list[pa.RecordBatch] = []
        self.file: pq.ParquetWriter | None = None

    def put(self, block: pa.RecordBatch) -> None:
        """Keep a block until a row group is full."""
        self.waiting.append(block)
        self.rows += block.num_rows
        if self.rows >= GROUP:
            self._group()

    def finish(self, empty: Callable[[], pa.RecordBatch]) -> None:
        """Write the last row group and the footer."""
        if self.waiting or self.file is None:
            self.waiting = self.waiting or [self.typed.batch(empty())]
            self._group()
        assert self.file is not None
        self.file.close()

    def _group(self) -> None:
        import pyarrow.parquet as pq

        table = pa.Table.from_batches(self.waiting)
        if self.file is None:
            self.file = pq.ParquetWriter(pa.PythonFile(self.sink, "w"), table.schema, compression=self.compression)
        self.file.write_table(table, row_group_size=len(table) or None)
        self.waiting, self.rows = [], 0


def _batches(stream: IO[bytes]) -> Iterable[pa.RecordBatch]:
    import pyarrow.parquet as pq

    found: Iterable[pa.RecordBatch] = pq.ParquetFile(stream).iter_batches(ROWS)
    return found


def _schema(stream: IO[bytes]) -> pa.Schema:
    import pyarrow.parquet as pq

    return pq.read_schema(stream)


SETTINGS = (FIELDS, CHILDREN, COMPRESSION)


def _configured(chosen: Chosen) -> Format:
    return Parquet(
        name="parquet", suffixes=(".parquet",), meaning="typed columns in row groups, compressed", settings=SETTINGS,
        configured=_configured, read=reader("a Parquet file", _batches),
        titles=titles("a Parquet file", _schema), typed=True, columnar=True, binary=True, nests=True,
        inside=chosen["children"] == "inside", compression=chosen["compression"],
    )  # fmt: skip


FORMAT = _configured(complete("parquet", SETTINGS, {}))
