"""Columns in another order of their rows, found before any row is written.

The order is that of a keyed hash of the row numbers, within groups. The columns are sorted by a database engine, which
uses the disk where memory ends; the result is a file that is read row by row.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pyarrow as pa

from yurt.core.base.arrays import arrow, fixed_strings, strings
from yurt.core.base.data_classes import dataclass
from yurt.core.base.types import TEXT
from yurt.core.engine.heads.shuffle import TITLE
from yurt.core.existing import queries
from yurt.core.existing.columns import Existing, refused
from yurt.core.existing.values import column_of
from yurt.core.formats.common.raw import Raw
from yurt.core.heads.shuffle import Shuffle
from yurt.core.keyed.blocks import BlockCipher, keyed_hash
from yurt.core.keyed.secret import Secret
from yurt.core.language.over_columns import ORIGINAL
from yurt.core.model import FromColumn, Phrase, Record
from yurt.core.model.expressions import Expression, Name

MEMORY = "256MB"


@dataclass(frozen=True)
class Shuffled:
    """The shuffled columns of a file: where they are, by title, and what each value is in the file."""

    columns: dict[str, pa.ChunkedArray]
    sorts: dict[str, pa.ChunkedArray]

    def part(self, start: int, size: int) -> dict[str, Raw]:
        """Return the values of some rows."""
        found = {}
        for title, column in self.columns.items():
            texts = column.slice(start, size).combine_chunks()
            texts = texts if isinstance(texts, pa.Array) else pa.concat_arrays(texts.chunks)
            sorts = np.asarray(self.sorts[title].slice(start, size).to_numpy()).astype(np.uint8)
            found[title] = Raw(texts, sorts)
        return found


def shuffles(record: Record) -> dict[str, Shuffle]:
    """Return the fields of a record type that are shuffled."""
    return {each.name: each.head for each in record.fields if isinstance(each.head, Shuffle)}


def shuffled(file: Existing, record: Record, secret: Secret, folder: Path) -> Shuffled:
    """Return the shuffled columns of a file, which are kept in a folder for the time."""
    columns: dict[str, pa.ChunkedArray] = {}
    sorts: dict[str, pa.ChunkedArray] = {}
    for name, head in shuffles(record).items():
        path = folder / f"shuffled-{len(columns)}.arrow"
        own = _title(record, Name(ORIGINAL.format(name), record.span))
        within = _title(record, head.within) if head.within is not None else None
        _sorted(file, own, within, secret.key("shuffle", head.domain), path, folder)
        table = pa.ipc.open_file(pa.memory_map(str(path))).read_all()
        columns[TITLE.format(name)], sorts[TITLE.format(name)] = table.column("value"), table.column("sort")
    return Shuffled(columns, sorts)


def _title(record: Record, expression: Expression) -> str:
    assert isinstance(expression, Name)
    body = record.by_name[expression.name].body
    assert isinstance(body, Phrase)
    assert isinstance(body.head, FromColumn)
    return body.head.title


def _sorted(file: Existing, own: str, within: str | None, key: bytes, path: Path, folder: Path) -> None:
    """Write a column in its new order."""
    cipher, start = BlockCipher(key), 0
    titles = [own] if within in (None, own) else [own, str(within)]
    with queries.connected(folder, "shuffle", MEMORY) as base, file.open() as stream:
        base.execute(
            "CREATE OR REPLACE TABLE rows (row BIGINT, key UBIGINT, part VARCHAR, value VARCHAR, sort UTINYINT)"
        )
        reading = file.reading(stream, titles)
        for piece in reading.pieces():
            block = reading.block(piece)
            raws = file.raws(block, titles)
            rows = np.arange(start, start + block.size, dtype=np.uint64)
            hashes = keyed_hash(cipher, fixed_strings(rows.view(np.uint8).reshape(-1, 8)))
            part = column_of(raws[within], TEXT).text(block.size) if within else strings([""] * block.size)
            found = pa.table({
                "row": arrow(rows.astype(np.int64)), "key": arrow(hashes), "part": part, "value": raws[own].texts,
                "sort": arrow(raws[own].sorts.astype(np.int64)),
            })  # fmt: skip
            base.register("found", found)
            base.execute("INSERT INTO rows SELECT * FROM found")
            base.unregister("found")
            start += block.size
        if reading.faults:
            raise refused(file.name, reading.faults, file.open)
        result = base.sql(
            "SELECT b.value, b.sort FROM"
            " (SELECT row, part, row_number() OVER (PARTITION BY part ORDER BY row) AS n FROM rows) a JOIN"
            " (SELECT value, sort, part, row_number() OVER (PARTITION BY part ORDER BY key, row) AS n FROM rows) b"
            " ON a.part IS NOT DISTINCT FROM b.part AND a.n = b.n ORDER BY a.row"
        ).to_arrow_reader(1 << 16)
        with pa.OSFile(str(path), "wb") as out, pa.ipc.new_file(out, result.schema) as written:
            for batch in result:
                written.write_batch(batch)
