"""Cases as files, with labels in front of the records, in a separate file, or nowhere."""

from __future__ import annotations

from collections.abc import Iterator

import pyarrow as pa

from yurt.core.base.errors import UsageFault
from yurt.core.base.labels import CASE, HANDLE, LABELS, OUTCOMES, paths_of
from yurt.core.cases.suite import Suite
from yurt.core.formats import text_format
from yurt.core.model import Record
from yurt.core.writing.tables import table_of


def refuse_name(record: Record, case: str) -> None:
    """Raise UsageFault if a field of the record has the name of the labels."""
    if any(each.title == case for each in record.shown if not each.parent):
        raise UsageFault(
            f"`{record.name}` has a field `{case}`, which is the name of the labels; "
            "give them another one with --label-record NAME, or write them with --labels beside"
        )


def parts_of(suite: Suite, labels: str, apart: bool, case: str = CASE) -> Iterator[tuple[str, bytes]]:
    """Yield the files of some cases: the suffix of the name, and the bytes; `case` is the name of the label record."""
    every = range(len(suite.cases))
    groups = {"": list(every)}
    if apart:
        groups = {f"-{expected}": [at for at in every if suite.cases[at].expected == expected] for expected in OUTCOMES}
        groups = {part: at for part, at in groups.items() if at or part != f"-{HANDLE}"}
    form = suite.rows.form
    if form.by_layout and labels == "front":
        raise UsageFault(f"`{form.name}` has places for fields only; write the labels with --labels beside")
    beside = text_format("csv") if form.by_layout else form
    # A CSV cell without quotes is a missing value, one with quotes is an empty text.
    blank = "" if form.nests else None
    for name, at in groups.items():
        rows, told = suite.rows.select(at), [suite.labels(each) for each in at]
        table = table_of([dict(each) for each in told], list(LABELS), blank)
        yield name, rows.file(in_front(table, case, form.nests) if labels == "front" else None)
        if labels == "beside":
            numbered: list[dict[str, str | int]] = [{"row": row, **each} for row, each in enumerate(told, start=1)]
            yield f"{name}-labels", beside.file("label", table_of(numbered, ["row", *LABELS], blank))


def in_front(table: pa.RecordBatch, case: str, nests: bool) -> dict[str, pa.Array]:
    """Return the labels as a record named `case`: one column, or one column per field."""
    if nests:
        return {case: pa.StructArray.from_arrays(table.columns, names=list(LABELS))}
    return dict(zip(paths_of(case), table.columns, strict=True))
