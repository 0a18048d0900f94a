"""The digest of rows in a table: that of their canonical form, JSON Lines, in the order of the rows."""

from __future__ import annotations

from yurt.core.base.digests import Digesting
from yurt.core.engine.run import Run
from yurt.core.formats import FORMATS
from yurt.core.writing.receipt import Made
from yurt.core.writing.runs import write


def digest_of_rows(run: Run, name: str, rows: tuple[int, int], workers: int) -> Made:
    """Return what a receipt says of the rows of a record type in a table."""
    out = Digesting()
    write(run, name, rows, FORMATS["jsonl"], out, workers)
    return Made(name, out.size, out.sha256, rows[1] - rows[0])
