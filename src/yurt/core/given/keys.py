"""Rows by key: which row of a record type has a key."""

from __future__ import annotations

import numpy as np
import pyarrow as pa

from yurt.core.base import compute as pc
from yurt.core.base.arrays import word
from yurt.core.base.python_values import PythonValue
from yurt.core.engine.resolved import Resolved
from yurt.core.engine.run import BLOCK, Run
from yurt.core.given.values import Unfit, column_of
from yurt.core.model import Sequence

# Keys of larger record types are searched in an array: milliseconds instead of microseconds, but less memory.
INDEXED = 200_000


class KeyIndex:
    """The keys of a record type in a run. They are made when the first one is looked up."""

    def __init__(self, run: Run, name: str) -> None:
        self.run, self.name = run, name
        self.key = run.schema.records[name].key
        self._rows: dict[str, int] | None = None
        self._texts: pa.ChunkedArray | None = None

    @property
    def ready(self) -> bool:
        """Whether a key is found at once: the keys are not made for it."""
        return self.key is None or isinstance(self.key.head, Sequence) or self._rows is not None

    def row(self, value: PythonValue) -> int | None:
        """Return the row (counted from 0) with a key, which may be a value or its text; None if no row has it."""
        if self.key is None or value is None:
            return None
        head, count = self.key.head, self.run.table(self.name).count
        text = self._text(value)
        if isinstance(head, Sequence):
            number = int(text) if text.lstrip("-").isdecimal() and len(text) < 20 else None
            place, rest = divmod(number - head.start, head.step) if number is not None else (-1, 0)
            return place if not rest and 0 <= place < count and str(number) == text else None
        if count <= INDEXED:
            if self._rows is None:
                self._rows = {each: row for row, each in enumerate(self._all().to_pylist())}
            return self._rows.get(text)
        if self._texts is None:
            self._texts = self._all()
        found = int(pc.index(self._texts, word(text)).as_py())
        return found if found >= 0 else None

    def _text(self, value: PythonValue) -> str:
        """Return a key as its standard text."""
        if isinstance(value, str):
            return value
        assert self.key is not None
        try:
            kind = self.run.plan.types[self.name, self.key.name]
            return str(column_of(value, kind).text(1)[0].as_py())
        except Unfit:
            return str(value)

    def _all(self) -> pa.ChunkedArray:
        assert self.key is not None
        table = self.run.table(self.name)
        parts = []
        for start in range(0, table.count, BLOCK):
            rows = np.arange(start, min(start + BLOCK, table.count), dtype=np.uint64)
            parts.append(Resolved(table, rows).field(self.key.name).text(len(rows)))
        return pa.chunked_array(parts, pa.string())
