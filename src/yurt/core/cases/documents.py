"""Complete files that are malformed on purpose, each in one way, with what a program should do with them."""

from __future__ import annotations

import io
from collections.abc import Iterator
from functools import partial

from yurt.core.base.data_classes import dataclass
from yurt.core.base.errors import YurtError
from yurt.core.base.labels import ACCEPT, REJECT
from yurt.core.engine.family import Family
from yurt.core.engine.run import Run
from yurt.core.formats import text_format
from yurt.core.formats.common.format import TextFormat
from yurt.core.verify.verification import Data, Verification
from yurt.core.writing.runs import write
from yurt.core.writing.tables import table_of

RESULTS = "expected-results.csv"
# The number of records, or of their parents, in each file.
ROWS = 3


@dataclass(frozen=True)
class Document:
    """A malformed file: its name, its bytes, what is wrong, and the expected outcome with its reason."""

    name: str
    data: bytes
    fault: str
    expected: str
    reason: str


def documents_of(run: Run, record: str, kind: TextFormat) -> tuple[list[Document], list[Document]]:
    """Return the sound file of a record type and all malformed ones in one format, and those that are left out.

    Each is read and checked first. Left out is what the validator takes for something else, such as a file that has
    become another sound one.
    """
    made: list[Document] = []
    left_out: list[Document] = []
    for each, beside in _documents(run, record, kind):
        right = _outcome(run, record, kind, each.data, beside) == each.expected
        (made if right else left_out).append(each)
    return made, left_out


def _outcome(run: Run, record: str, kind: TextFormat, data: bytes, beside: dict[str, bytes]) -> str:
    """Return what the validator says of a file, beside those of other record types; empty if it cannot judge it."""
    files = {
        name: Data(name, kind.encoding.decoding(partial(io.BytesIO, each)), kind)
        for name, each in ({record: data} | beside).items()
    }
    verification = Verification(run.schema, files, run.today, whole=bool(beside), workers=1)
    try:
        broken = [each for each in verification.run() if each.record == record or beside]
    except YurtError:
        return REJECT
    report = verification.reports[record]
    if broken or report.faults:
        return REJECT
    return "" if report.undone else ACCEPT


def _documents(run: Run, record: str, kind: TextFormat) -> Iterator[tuple[Document, dict[str, bytes]]]:
    """Yield files with those of other record types that must be beside them."""
    rows = _rows(run, record)
    sound = _file(run, record, rows, kind)
    yield Document(f"{record}-sound{kind.suffix}", sound, "none", "accept", "the file that the others are made of"), {}
    count = run.schema.records[record].count
    if count.per is not None and count.low and rows:
        # The last parent's children are cut off, so that rules about earlier rows stay valid.
        parents = _rows(run, count.per)
        left = _family(run, record).of_first(parents - 1) + count.low - 1
        name = f"{record}-child-too-few{kind.suffix}"
        children = "1 child" if count.low == 2 else f"{count.low - 1} children"
        told = f"the last row of {count.per}-sound{kind.suffix} has {children}, and at least {count.low} belong there"
        above = {count.per: _file(run, count.per, parents, kind)}
        yield Document(name, _file(run, record, left, kind), "child-too-few", "reject", told), above
    for each in kind.breaks:
        data = each.change(sound, record)
        if data is not None and data != sound:
            name = f"{record}-{each.fault}{kind.suffix}"
            yield Document(name, data, each.fault, each.expected, each.reason), {}


def _rows(run: Run, record: str) -> int:
    """Return the number of rows of the sound file: all children of its parents, and at least one."""
    count = run.schema.records[record].count
    if count.per is None or not count.low:
        return min(ROWS, run.table(record).count)
    return _family(run, record).of_first(_rows(run, count.per))


def _family(run: Run, record: str) -> Family:
    family = run.table(record).family
    assert family is not None
    return family


def _file(run: Run, record: str, rows: int, kind: TextFormat) -> bytes:
    out = io.BytesIO()
    write(run, record, (0, rows), kind, out, 1)
    return out.getvalue()


def expected_results(documents: list[Document]) -> bytes:
    """Return the expected result of each file, as CSV."""
    rows: list[dict[str, str | int]] = [
        {"file": each.name, "fault": each.fault, "expected": each.expected, "reason": each.reason} for each in documents
    ]
    return text_format("csv").file("expected-result", table_of(rows, ["file", "fault", "expected", "reason"]))
