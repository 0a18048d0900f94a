"""Whole files that are broken on purpose, each in one way, with what a program that reads it should do."""

from __future__ import annotations

import io
from collections.abc import Iterator
from dataclasses import dataclass

from yurt.core.engine.run import Run
from yurt.core.formats import by_name
from yurt.core.writing.runs import write
from yurt.core.writing.tables import table_of

EXPECTATIONS = "expectations.csv"
# Records in each file.
ROWS = 3


@dataclass(frozen=True, slots=True)
class Document:
    """A broken file: its name, its bytes, what is broken, what is expected and why."""

    name: str
    data: bytes
    fault: str
    expected: str
    reason: str


def documents_of(run: Run, record: str, form: str) -> Iterator[Document]:
    """Yield the sound file of a record type and all broken ones in one format."""
    out = io.BytesIO()
    kind = by_name()[form]
    write(run, record, (0, min(ROWS, run.table(record).count)), kind, out, 1)
    sound = out.getvalue()
    yield Document(f"{record}-sound{kind.suffix}", sound, "none", "accept", "the file that the others are made of")
    for each in kind.breaks:
        data = each.change(sound, record)
        if data is not None and data != sound:
            name = f"{record}-{each.fault}{kind.suffix}"
            yield Document(name, data, each.fault, each.expected, each.reason)


def expectations(documents: list[Document]) -> bytes:
    """Return the list of what is expected of each file, as CSV."""
    rows: list[dict[str, str | int]] = [
        {"file": each.name, "fault": each.fault, "expected": each.expected, "reason": each.reason} for each in documents
    ]
    return by_name()["csv"].file("expectation", table_of(rows, ["file", "fault", "expected", "reason"]))
