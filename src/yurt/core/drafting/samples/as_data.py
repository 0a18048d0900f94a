"""A sample as data that the validator reads."""

from __future__ import annotations

import io
from collections.abc import Iterator
from typing import IO

from yurt.core.drafting.samples.reading import Sample
from yurt.core.formats.common.format import Format
from yurt.core.formats.common.raw import Block, Raw, Reading, Value, absent, of_values
from yurt.core.formats.common.tree import leaf_names
from yurt.core.formats.json.reading import DECODER
from yurt.core.model import ListOf, Record
from yurt.core.verify.verification import Data


def data_of(sample: Sample) -> Data:
    """Return a sample as data of its record type; its lines are the rows of its file."""

    def read(stream: IO[bytes], record: Record, labels: tuple[str, ...]) -> Reading:
        def pieces() -> Iterator[Block]:
            yield Block(sample.size, _columns(sample, record), sample.rows + 1)

        return Reading(pieces, lines_of=lambda stream, rows: {})

    form = Format(
        name="sample", suffixes=(), meaning="a sample", read=read, typed=sample.typed, nests=True,
        ordered=sample.ordered and sample.whole,
    )  # fmt: skip
    return Data(sample.name, io.BytesIO, form)


def _columns(sample: Sample, record: Record) -> dict[str, Raw]:
    """Return the columns by the names of fields; a record inside is there if the sample has it as one."""
    found: dict[str, Raw] = {}
    leaves = leaf_names(record)
    for each in record.shown:
        title = record.column(each.name)
        column = sample.columns.get(title)
        if column is not None:
            found[each.name] = _listed(column.raw) if isinstance(each.head, ListOf) else column.raw
        elif each.name in leaves:
            found[each.name] = absent(sample.size)
    return found


def _listed(raw: Raw) -> Raw:
    """Return texts that are JSON arrays as lists."""
    if raw.objects is not None:
        return raw
    return of_values([_array(each) for each in raw.texts.to_pylist()])


def _array(text: str | None) -> Value:
    try:
        return None if text is None else DECODER.decode(text)
    except ValueError:
        return text
