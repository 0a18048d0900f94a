"""Records as trees (JSON, XML), turned into columns by path."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Any

import numpy as np

from yurt.core.base.data_classes import dataclass
from yurt.core.base.json_object import JsonObject
from yurt.core.formats.common.raw import (
    NOTHING,
    Block,
    Fault,
    Raw,
    Reading,
    Value,
    as_record,
    meant,
    of_values,
    written,
)  # fmt: skip
from yurt.core.model import Nested, Record


@dataclass(frozen=True)
class Layout:
    """The names of a record in a file, with the path of each field; nested records have more inside."""

    fields: dict[str, tuple[str, Layout | None]]


def layout_of(record: Record, inside: str = "") -> Layout:
    """Return the layout of a record type, or of a nested record."""
    return Layout(
        {
            each.title: (each.name, layout_of(record, each.name) if isinstance(each.head, Nested) else None)
            for each in record.shown
            if each.parent == inside
        }
    )


def leaf_names(record: Record) -> list[str]:
    """Return the fields that are columns in a format without nested records."""
    return [
        each.name
        for each in record.shown
        if not isinstance(each.head, Nested) and record.list_around(each.name) in (None, each.name)
    ]


def with_labels(layout: Layout, labels: tuple[str, ...]) -> Layout:
    """Return a layout with a record of labels, whose paths are given; a field of that name takes precedence."""
    extra: dict[str, tuple[str, Layout | None]] = {}
    for each in labels:
        name, _, inner = each.partition(".")
        if not inner:
            extra[name] = f"@{name}", None
            continue
        record = extra.setdefault(name, (f"@{name}", Layout({})))[1]
        assert record is not None
        record.fields[inner] = f"@{each}", None
    return Layout(extra | layout.fields)


def columns_of(records: list[JsonObject], layout: Layout, source: Reading) -> dict[str, Raw]:
    """Return the columns of the fields, including those of nested records."""
    columns: dict[str, Raw] = {}
    _collect(records, layout, columns, source, "")
    return columns


def blocks(
    records: Iterable[tuple[int, Value]], layout: Layout, source: Reading, rows: int
) -> Iterator[Block]:  # fmt: skip
    """Yield blocks of so many records, each of which comes with its line; a fault for what is no record."""
    found: list[JsonObject] = []
    lines: list[int] = []
    for line, record in records:
        if not isinstance(record, dict):
            source.faults.append(Fault(line, f"a record was expected, not {written(record)[:40]}"))
            continue
        found.append(record)
        lines.append(line)
        if len(found) == rows:
            yield Block(len(found), columns_of(found, layout, source), np.array(lines))
            found, lines = [], []
    if found:
        yield Block(len(found), columns_of(found, layout, source), np.array(lines))


def _collect(records: list[Any], layout: Layout, columns: dict[str, Raw], source: Reading, path: str) -> None:
    names = dict.fromkeys(name for each in records if isinstance(each, dict) for name in each)
    for each in (name for name in names if name not in layout.fields):
        near = meant(each, layout.fields)
        source.strangers[path + each] = path + near if near else ""
    for title, (name, inside) in layout.fields.items():
        values = [each.get(title, NOTHING) if isinstance(each, dict) else NOTHING for each in records]
        values = [as_record(each) for each in values] if inside is not None else values
        columns[name] = of_values(values)
        if inside is not None:
            _collect(values, inside, columns, source, f"{path}{title}.")
