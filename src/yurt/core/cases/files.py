"""Cases as files: labels in front of the records, in a file beside them, or none."""

from __future__ import annotations

from collections.abc import Iterator

import pyarrow as pa

from yurt.core.cases.suite import Suite
from yurt.core.verify.labels import LABELS
from yurt.core.writing.tables import table_of


def parts_of(suite: Suite, labels: str, apart: bool) -> Iterator[tuple[str, bytes]]:
    """Yield the files of some cases: what is added to the name, and the bytes."""
    every = range(len(suite.cases))
    groups = {"": list(every)}
    if apart:
        groups = {
            "-valid": [at for at in every if suite.cases[at].valid],
            "-invalid": [at for at in every if not suite.cases[at].valid],
        }
    form = suite.rows.form
    # A cell of CSV has quotes around an empty text; without any it is a missing value.
    blank = "" if form.nests else None
    for name, at in groups.items():
        rows, told = suite.rows.select(at), [suite.labels(each) for each in at]
        table = table_of([dict(each) for each in told], list(LABELS), blank)
        front: dict[str, pa.Array] = dict(zip(LABELS, table.columns, strict=True))
        yield name, rows.file(front if labels == "front" else None)
        if labels == "beside":
            numbered: list[dict[str, str | int]] = [{"row": row, **each} for row, each in enumerate(told, start=1)]
            yield f"{name}-labels", form.file("label", table_of(numbered, ["row", *LABELS], blank))
