"""Tables of typed columns: the columns of a file with their logical types, and how they are read."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from typing import IO

import numpy as np
import pyarrow as pa

from yurt.core.base import compute as pc
from yurt.core.base.arrays import flags, strings
from yurt.core.base.data_classes import replace
from yurt.core.formats.common.format import Out
from yurt.core.formats.common.raw import (
    ABSENT,
    BOOLEAN,
    NULL,
    NUMBER,
    STRING,
    Block,
    Fault,
    Raw,
    Reading,
    Value,
    absent,
    meant,
    of_values,
)  # fmt: skip
from yurt.core.formats.common.tree import Layout, layout_of, with_labels
from yurt.core.formats.json.reading import DECODER
from yurt.core.model import DateTime, OneOf, Record
from yurt.core.text.forms import text_of
from yurt.core.text.json_text import tokens

Reader = Callable[[IO[bytes], Record, tuple[str, ...]], Reading]


class Typed:
    """Gives the columns of a record type the same types in every block.

    Date-times with a zone become instants with that zone. A list of texts in the schema (`one of`) is the dictionary of
    its column; all other texts are plain, because what their dictionaries had would depend on the rows.
    """

    def __init__(self, record: Record) -> None:
        self.record = record
        self.by_title = {record.column(each.name): each for each in record.shown}

    def batch(self, batch: pa.RecordBatch) -> pa.RecordBatch:
        """Return a block with these types."""
        columns = [self._typed(name, each) for name, each in zip(batch.schema.names, batch.columns, strict=True)]
        return pa.RecordBatch.from_arrays(columns, names=batch.schema.names)

    def _typed(self, title: str, column: pa.Array) -> pa.Array:
        kind, field = column.type, self.by_title.get(title)
        listed = field.head.values if field is not None and isinstance(field.head, OneOf) else ()
        if listed and all(isinstance(each, str) for each in listed) and not pa.types.is_nested(kind):
            words = strings([str(each) for each in dict.fromkeys(listed)])
            return pa.DictionaryArray.from_arrays(pc.index_in(text_of(column), value_set=words), words)
        if pa.types.is_dictionary(kind):
            return text_of(column)
        if pa.types.is_struct(kind):
            pairs = zip(kind, column.flatten(), strict=True)
            inside = [self._typed(f"{title}.{each.name}", one) for each, one in pairs]
            found = pa.StructArray.from_arrays(inside, names=[each.name for each in kind])
            return pc.if_else(pc.is_valid(column), found, pa.nulls(1, found.type)[0]) if column.null_count else found
        if field is not None and isinstance(field.head, DateTime) and field.head.zone and pa.types.is_string(kind):
            zone = "UTC" if field.head.zone == "utc" else field.head.zone
            return pc.cast(pc.cast(column, pa.timestamp("us", "UTC")), pa.timestamp("us", zone))
        return column


class TypedWriter:
    """Renders the blocks of a record type; how they are put into the file is left to the format."""

    def __init__(self, out: Out, record: Record) -> None:
        self.sink, self.typed = Sink(out), Typed(record)

    @property
    def size(self) -> int:
        """The number of bytes written so far."""
        return self.sink.size

    def rendered(self, batch: pa.RecordBatch, first_row: int) -> pa.RecordBatch:
        """Return a block with its final types."""
        return self.typed.batch(batch)


class Sink:
    """A file that Arrow writes to; Arrow does not close it."""

    closed = False

    def __init__(self, out: Out) -> None:
        self.out, self.size = out, 0

    def write(self, data: bytes) -> int:
        """Take bytes of the file; a run that was interrupted has closed it before Arrow wrote its last ones."""
        if not getattr(self.out, "closed", False):
            self.out.write(bytes(data))
        self.size += len(data)
        return len(data)

    def flush(self) -> None:
        """Nothing is kept back."""

    def close(self) -> None:
        """The file is closed elsewhere."""


def reader(what: str, opened: Callable[[IO[bytes]], Iterable[pa.RecordBatch]]) -> Reader:
    """Return how files are read that Arrow opens as batches; `what` is what such a file is called."""

    def read(stream: IO[bytes], record: Record, labels: tuple[str, ...]) -> Reading:
        layout = with_labels(layout_of(record), labels)

        def pieces() -> Iterator[Block]:
            stream.seek(0)
            try:
                yield from read_batches(opened(stream), layout, reading)
            except (pa.ArrowException, OSError, UnicodeDecodeError) as fault:
                # A damaged file may be found out in its middle.
                reading.faults.append(Fault(None, f"not {what}: {str(fault).partition(chr(10))[0]}"))

        reading = Reading(pieces)
        return reading

    return read


def titles(what: str, schema: Callable[[IO[bytes]], pa.Schema]) -> Callable[[IO[bytes], str], list[str] | Fault]:
    """Return how the names of the columns are found; `what` is what such a file is called."""

    def read(stream: IO[bytes], record: str) -> list[str] | Fault:
        try:
            return list(schema(stream).names)
        except (pa.ArrowException, OSError, UnicodeDecodeError) as fault:
            return Fault(None, f"not {what}: {str(fault).partition(chr(10))[0]}")

    return read


def read_batches(batches: Iterable[pa.RecordBatch], layout: Layout, reading: Reading) -> Iterator[Block]:
    """Yield the blocks of a table; what cannot be read is a fault of the file."""
    try:
        for batch in batches:
            names = batch.schema.names
            strangers = [each for each in names if each not in layout.fields]
            reading.strangers |= {each: meant(each, layout.fields) for each in strangers}
            if not set(names) & set(layout.fields):
                reading.faults.append(Fault(1, "no column has the name of a field"))
                return
            columns: dict[str, Raw] = {}
            _collect(dict(zip(names, batch.columns, strict=True)), layout, columns, batch.num_rows)
            yield Block(batch.num_rows, columns)
    except (pa.ArrowException, OSError, UnicodeDecodeError) as fault:
        reading.faults.append(Fault(None, f"the file cannot be read: {str(fault).partition(chr(10))[0]}"))


def _collect(found: dict[str, pa.Array], layout: Layout, columns: dict[str, Raw], rows: int) -> None:
    for title, (name, inside) in layout.fields.items():
        column = found.get(title)
        columns[name] = absent(rows) if column is None else replace(raw_of(column), array=column)
        if inside is not None:
            inner: dict[str, pa.Array] = {}
            if column is not None and pa.types.is_struct(column.type):
                inner = dict(zip([each.name for each in column.type], column.flatten(), strict=True))
            _collect(inner, inside, columns, rows)
            if column is not None and column.null_count:
                gone = ~flags(pc.is_valid(column))
                for each, _ in inside.fields.values():
                    columns[each].sorts[gone] = ABSENT


def raw_of(column: pa.Array) -> Raw:
    """Return a column as values of a file."""
    kind = column.type
    if pa.types.is_nested(kind):
        return of_values([_value(each) for each in tokens(column).to_pylist()])
    sort = NUMBER if _is_number(kind) else BOOLEAN if pa.types.is_boolean(kind) else STRING
    sorts = np.full(len(column), sort, dtype=np.uint8)
    if column.null_count:
        sorts[~flags(pc.is_valid(column))] = NULL
    if pa.types.is_timestamp(kind) and kind.tz:
        return Raw(_zoned(column), sorts)
    if pa.types.is_large_string(kind) or pa.types.is_null(kind):
        column = pc.cast(column, pa.string())
    return Raw(text_of(column), sorts)


def _value(text: str) -> Value:
    return DECODER.decode(text)


def _is_number(kind: pa.DataType) -> bool:
    return bool(pa.types.is_integer(kind) or pa.types.is_decimal(kind) or pa.types.is_floating(kind))


def _zoned(column: pa.Array) -> pa.Array:
    """Return instants in ISO 8601 with the offset of their zone."""
    zone = column.type.tz
    local = text_of(pc.local_timestamp(column))
    if zone == "UTC":
        return pc.binary_join_element_wise(local, "Z", "")
    offset = pc.replace_substring_regex(pc.strftime(column, "%z"), pattern=r"^([+-]\d\d)(\d\d)$", replacement=r"\1:\2")
    return pc.binary_join_element_wise(local, offset, "")
