"""Writes records as JSON objects."""

from __future__ import annotations

import json
from functools import partial

import pyarrow as pa

from yurt.core.base import compute as pc
from yurt.core.base.arrays import word
from yurt.core.base.data_classes import dataclass, replace
from yurt.core.formats.common.format import Book, Format, Out, TextFormat, Writer
from yurt.core.formats.common.settings import Chosen, Setting, complete
from yurt.core.formats.common.values import CHILDREN, FIELDS
from yurt.core.formats.json.malformed import BREAKS
from yurt.core.formats.json.reading import read, token
from yurt.core.model import Record
from yurt.core.text.forms import text_of
from yurt.core.text.json_text import object_text, tokens

MISSING = Setting("missing", "how a missing value is written: as null, or not at all", "null", "absent",
                  ("null", "absent"))  # fmt: skip
NUMBERS = Setting("numbers", "whether numbers are numbers, or texts (for readers that lose digits)", "number", "text",
                  ("number", "text"))  # fmt: skip
INDENT = Setting("indent", "the spaces in front of each member; 0 writes a record on one line", "0", "2",
                 ("0", "2", "4"))  # fmt: skip


@dataclass(frozen=True, kw_only=True)
class JsonFormat(TextFormat):
    """An array of records; or an object with an array for each of several record types."""

    def several(self, out: Out) -> Book:
        return Document(self, out)

    def with_types(self, types: frozenset[str]) -> Format:
        return replace(self, read=partial(read, types=types))


class Document:
    """An object with an array for each record type."""

    def __init__(self, form: JsonFormat, out: Out) -> None:
        self.form, self.out, self.size, self.begun = form, out, 0, False

    def write(self, data: bytes | pa.Buffer) -> None:
        """Take some bytes."""
        self.out.write(data)
        self.size += len(data)

    def writer(self, record: Record, names: list[str]) -> Writer:
        """Return what writes an array, behind its name."""
        self.write(f"{',' if self.begun else '{'}\n{json.dumps(record.name, ensure_ascii=False)}: ".encode())
        self.begun = True
        return self.form.writer(self, record, names)

    def close(self) -> None:
        """Complete the object."""
        self.write(b"}\n")


def json_format(name: str, suffixes: tuple[str, ...], meaning: str, array: bool) -> Format:
    """Return a format of JSON records: in one array, or one after the other."""
    known = (FIELDS, CHILDREN, MISSING, NUMBERS, *((INDENT,) if array else ()))

    def configured(chosen: Chosen) -> TextFormat:
        absent, as_texts, indent = chosen["missing"] == "absent", chosen["numbers"] == "text", chosen.get("indent", "0")

        def records(_record: str, batch: pa.RecordBatch, _first_row: int) -> pa.Array:
            columns = [_as_text(each) for each in batch.columns] if as_texts else batch.columns
            columns = [_or_absent(each) for each in columns] if absent else columns
            return object_text(batch.schema.names, columns, int(indent))

        form = JsonFormat if array else TextFormat
        opening, separator, closing = ("[\n", ",\n", "\n]\n") if array else ("", "\n", "\n")
        return form(
            name=name, suffixes=suffixes, meaning=meaning, settings=known, configured=configured,
            opening=lambda _record, _names: opening, records=records, separator=separator, closing=closing,
            finish=_without_missing if absent else tokens, token=token,
            cannot=lambda value: "", read=read, breaks=BREAKS, typed=True, nests=True,
            inside=chosen["children"] == "inside", together=array,
        )  # fmt: skip

    return configured(complete(name, known, {}))


def _as_text(column: pa.Array) -> pa.Array:
    """Return a column with texts in place of numbers, inside lists and records as well."""
    kind = column.type
    if pa.types.is_struct(kind):
        inside = [_as_text(each) for each in column.flatten()]
        found = pa.StructArray.from_arrays(inside, names=[each.name for each in kind])
        return pc.if_else(pc.is_valid(column), found, pa.nulls(1, found.type)[0]) if column.null_count else found
    if pa.types.is_list(kind):
        return pa.ListArray.from_arrays(column.offsets, _as_text(column.values), mask=pc.is_null(column))
    number = pa.types.is_integer(kind) or pa.types.is_decimal(kind) or pa.types.is_floating(kind)
    return text_of(column) if number else column


def _without_missing(column: pa.Array) -> pa.Array:
    """Return the values as they are in the file, an empty text (an absent name) for a missing one."""
    found = _or_absent(column)
    return found if pa.types.is_large_string(found.type) else tokens(found)


def _or_absent(column: pa.Array) -> pa.Array:
    """Return a column in the form of the file, with an empty text (an absent name) for a missing value."""
    kind = column.type
    if pa.types.is_list(kind) and pa.types.is_struct(kind.value_type):
        # Records in a list leave out what is missing as well.
        inside = _or_absent(column.values)
        texts = tokens(pa.ListArray.from_arrays(column.offsets, inside, mask=pc.is_null(column)))
    elif pa.types.is_struct(kind):
        texts = object_text([each.name for each in kind], [_or_absent(each) for each in column.flatten()])
    elif not column.null_count:
        return column
    else:
        texts = tokens(column)
    return pc.cast(pc.if_else(pc.is_valid(column), texts, word("")), pa.large_string())
