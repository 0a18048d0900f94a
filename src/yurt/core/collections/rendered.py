"""Generated rows as texts of a format: made in blocks, and kept while there is room."""

from __future__ import annotations

from collections import OrderedDict
from threading import Lock

import pyarrow as pa

from yurt.core.base import compute as pc
from yurt.core.engine.blocks import block
from yurt.core.engine.run import Run
from yurt.core.formats.common.format import TextFormat
from yurt.core.text.forms import text_of

# The rows of a block: enough to be made quickly, and few enough for a single record.
ROWS = 512
# The bytes of all kept texts, and what a text costs beside its own bytes.
ROOM, EACH = 1 << 26, 64
Key = tuple[str, str, tuple[str, ...], int]


class Rendered:
    """The rows of a run as texts. Rows that are not kept are made again; they cost the same anywhere."""

    def __init__(self, room: int = ROOM) -> None:
        self.room, self.size = room, 0
        self._kept: OrderedDict[Key, tuple[int, list[bytes]]] = OrderedDict()
        self._lock = Lock()

    def has(self, name: str, form: TextFormat, fields: tuple[str, ...], number: int) -> bool:
        """Return whether a block is kept."""
        return (name, form.name, fields, number) in self._kept

    def texts(self, run: Run, name: str, form: TextFormat, fields: tuple[str, ...], number: int) -> list[bytes]:
        """Return the texts of one block of a record type by its number; only some columns if `fields` names them."""
        key = (name, form.name, fields, number)
        with self._lock:
            if key in self._kept:
                self._kept.move_to_end(key)
                return self._kept[key][1]
        start = number * ROWS
        stop = min(start + ROWS, run.table(name).count)
        batch = block(run, name, start, stop, typed=form.typed, nests=form.nests)
        found = texts_of(form, name, batch.select(list(fields)) if fields else batch)
        size = sum(map(len, found)) + EACH * len(found)
        with self._lock:
            if key not in self._kept:
                self._kept[key] = size, found
                self.size += size
            while self.size > self.room and len(self._kept) > 1:
                self.size -= self._kept.popitem(last=False)[1][0]
        return found


def texts_of(form: TextFormat, name: str, batch: pa.RecordBatch) -> list[bytes]:
    """Return the text of each record of a batch."""
    found: list[bytes] = pc.cast(text_of(form.records(name, batch, 0)), pa.binary()).to_pylist()
    return found
