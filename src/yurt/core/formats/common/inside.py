"""Reads the records that stand inside others: a list for each record type that is counted per the one around."""

from __future__ import annotations

from collections.abc import Sequence
from typing import IO

from yurt.core.base.data_classes import replace
from yurt.core.formats.common.format import Format
from yurt.core.formats.common.raw import ABSENT, NULL, Block, Fault, Raw, Reading, Value, written
from yurt.core.formats.common.tree import columns_of, layout_of, with_labels
from yurt.core.model import Record


def around(form: Format, children: Sequence[str]) -> Format:
    """Return a format that reads records with others inside, without those."""

    def read(stream: IO[bytes], record: Record, labels: tuple[str, ...]) -> Reading:
        return form.reading(stream, record, (*labels, *children))

    return replace(form, read=read)


def inside(form: Format, outer: Sequence[Record]) -> Format:
    """Return a format that reads the records inside others; `outer` are those around them, the outermost first."""

    def read(stream: IO[bytes], record: Record, labels: tuple[str, ...]) -> Reading:
        names = [*(each.name for each in outer[1:]), record.name]
        whole = form.reading(stream, outer[0], (names[0],))
        layout = with_labels(layout_of(record), labels)

        def block(piece: object) -> Block:
            records = _listed(whole.block(piece).columns[f"@{names[0]}"], names[0], reading)
            for name in names[1:]:
                lists = [each.get(name) for each in records if isinstance(each, dict)]
                records = [one for each in lists for one in _records(each, name, reading)]
            return Block(len(records), columns_of(records, layout, reading))

        # The faults of the file itself are those of the records around.
        reading = Reading(whole.pieces, block, lines_of=lambda stream, rows: {})
        return reading

    return replace(form, read=read)


def _listed(column: Raw, name: str, reading: Reading) -> list[Value]:
    """Return the records in the lists of a column."""
    if column.objects is not None:
        found = zip(column.objects, column.sorts.tolist(), strict=True)
        return [one for each, sort in found if sort not in (ABSENT, NULL) for one in _records(each, name, reading)]
    if not column.missing.all():
        reading.faults.append(Fault(None, f"`{name}` is not a list of records"))
    return []


def _records(value: Value, name: str, reading: Reading) -> list[Value]:
    """Return the records in a list; what is no record is a fault."""
    # An element without content is a list without records.
    if value is None or value == "":
        return []
    if not isinstance(value, list):
        reading.faults.append(Fault(None, f"`{name}` is not a list of records: {written(value)[:40]}"))
        return []
    for each in value:
        if not isinstance(each, dict):
            reading.faults.append(Fault(None, f"a record was expected in `{name}`, not {written(each)[:40]}"))
    return [each for each in value if isinstance(each, dict)]
