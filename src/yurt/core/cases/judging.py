"""What the validator finds in the records of cases."""

from __future__ import annotations

import io

import numpy as np

from yurt.core.base.errors import YurtError
from yurt.core.engine.run import Run
from yurt.core.formats import FORMATS
from yurt.core.formats.common.format import Format
from yurt.core.model import Record, Schema
from yurt.core.verify.frame import Frame
from yurt.core.verify.verification import Data, Verification
from yurt.core.writing.runs import write

# Other record types with more rows than this are not made to check references to them.
MOST_PARENTS = 200_000


def judged(
    schema: Schema, record: Record, whole: bytes, form: Format, run: Run, children: str
) -> dict[int, list[tuple[str, str]]]:
    """Return the violations that the validator finds in each record: field and rule.

    `children` is the record type if each parent has its children in order.
    """
    data = {record.name: _data(record.name, whole, form)}
    for name in run.plan.records_for(record.name) - {record.name}:
        count = run.table(name).count
        if count <= MOST_PARENTS:
            out = io.BytesIO()
            write(run, name, (0, count), FORMATS["jsonl"], out, 1)
            data[name] = _data(name, out.getvalue(), FORMATS["jsonl"])
    verification = Verification(schema, data, run.today, whole=False, workers=1, children=children)
    found: dict[int, list[tuple[str, str]]] = {}
    first = 0

    def not_computed(of: Record, frame: Frame) -> None:
        """A record of which something cannot be computed is neither valid nor invalid."""
        nonlocal first
        if of.name == record.name:
            for (what, why), rows in frame.undone.items():
                for row in np.flatnonzero(rows).tolist():
                    found.setdefault(first + row, []).append((what, f"what can be computed: {why}"))
            first += frame.size

    verification.watch = not_computed
    for each in verification.run():
        if each.record == record.name:
            for row in each.rows.tolist():
                found.setdefault(row, []).append((each.field, each.rule))
    report = verification.reports[record.name]
    if report.faults:
        raise YurtError(f"the cases cannot be read back: {report.faults[0].message}")
    return found


def _data(name: str, whole: bytes, form: Format) -> Data:
    return Data(name, form.encoding.decoding(lambda: io.BytesIO(whole)), form)
