"""What is a function of a value and the secret: the same in every row, every file, and every run."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow, flags, numbers, strings, word
from yurt.core.base.data_classes import dataclass
from yurt.core.base.types import TEXT
from yurt.core.columns.column import Column, Mask, Places
from yurt.core.columns.evaluate import evaluate
from yurt.core.columns.faults import RowFault
from yurt.core.engine.batch import Batch
from yurt.core.engine.scope import BatchScope, TableScope
from yurt.core.keyed.blocks import BlockCipher, keyed_hash
from yurt.core.keyed.secret import Secret
from yurt.core.model import Treatment
from yurt.core.model.expressions import Expression
from yurt.core.sampling.streams import Rows, Stream, Unit, stream

# Row numbers of values: unique numbers of kinds have at most 18 digits.
ROWS = np.uint64((1 << 59) - 1)
# What treatments of dates read.
DATE_WANTED = "a date such as 2026-06-15; `yurt extend` with `to_date(…)` writes it so"


@dataclass(frozen=True)
class Originals:
    """The values of a column that is treated: the different ones, which of them each row has, and where it has none."""

    different: pa.Array
    codes: NDArray[np.int64]
    nulls: Mask | None

    @property
    def empty(self) -> Mask:
        """Where the value is an empty text: nothing becomes of it."""
        found: Mask = flags(pc.equal(self.different, word("")))[self.codes]
        return found if self.nulls is None else found & ~self.nulls

    def each_once(self) -> Originals:
        """Return the different values alone, as if each were a row."""
        return Originals(self.different, np.arange(len(self.different)), None)

    def kept_empty(self, column: Column) -> Column:
        """Return results with empty texts where the originals are empty; a type without them has none there."""
        empty = self.empty
        if not empty.any():
            return column
        if column.type != TEXT:
            return column.with_nulls(empty)
        texts = pc.if_else(arrow(empty), word(""), Column(TEXT, column.values).text(len(empty)))
        return Column(TEXT, texts, column.nulls)

    def spread(self, results: pa.Array) -> Column:
        """Return a text column from a result for each different value; there may be none for some."""
        nulls = self.nulls
        if results.null_count:
            gone = flags(pc.is_null(results))[self.codes]
            nulls = gone if nulls is None else nulls | gone
            results = pc.fill_null(results, word(""))
        codes = arrow(self.codes.astype(np.int32))
        return Column(TEXT, pa.DictionaryArray.from_arrays(codes, results), nulls)


def secret_of(table: TableScope) -> Secret:
    """Return the secret of a run with treatments."""
    assert table.run.secret is not None
    return table.run.secret


def originals(expression: Expression | None, batch: BatchScope) -> Originals:
    """Return the texts of an expression."""
    assert expression is not None
    column = evaluate(expression, batch).spread(len(batch.rows))
    texts = Column(column.type, column.values).text(len(batch.rows))
    coded = pc.dictionary_encode(pc.fill_null(texts, word("")) if texts.null_count else texts)
    nulls = column.nulls if column.nulls is not None and column.nulls.any() else None
    return Originals(coded.dictionary, numbers(coded.indices, np.int32).astype(np.int64), nulls)


def changed(
    head: Treatment, table: TableScope, change: Callable[[pa.Array], pa.Array], wanted: str = ""
) -> Callable[[BatchScope], Column]:  # fmt: skip
    """Return the maker of a treatment that changes each different value once.

    A value that it cannot read is refused (RowFault), never replaced by nothing, if `wanted` says what it reads.
    """

    def make(batch: BatchScope) -> Column:
        found = originals(head.original, batch)
        if not len(found.different):
            return found.spread(strings([]))
        results = change(found.different)
        if wanted and results.null_count:
            unread = np.flatnonzero(flags(pc.and_(pc.is_null(results), pc.not_equal(found.different, word("")))))
            if len(unread):
                told = f"`{found.different[int(unread[0])].as_py()}` is not {wanted}"
                raise RowFault(told, int(batch.rows[int(np.argmax(found.codes == unread[0]))]))
        return found.spread(pc.if_else(pc.equal(found.different, word("")), word(""), results))

    return make


def hashed(secret: Secret, *domain: str) -> Callable[[pa.Array], NDArray[np.uint64]]:
    """Return the keyed hash of texts in a domain."""
    cipher = BlockCipher(secret.key(*domain))
    return lambda texts: keyed_hash(cipher, texts)


def unit_of(bits: NDArray[np.uint64]) -> Unit:
    """Return numbers in (0, 1)."""
    found: Unit = ((bits >> np.uint64(11)).astype(np.float64) + 0.5) * 2.0**-53
    return found


class ByValue(Batch):
    """Rows whose numbers are hashes of values; its streams know neither the record type nor the field."""

    def __init__(self, around: BatchScope, keys: Rows, places: Places, domain: str) -> None:
        super().__init__(around.table, keys, 0, (around, places), ("by value", domain))
        self.domain = domain

    def select(self, places: Places) -> Batch:
        """Return the batch of some of these rows."""
        if len(places) == len(self.rows):
            return self
        return ByValue(self, self.rows[places], places, self.domain)

    def stream(self, *purpose: str | int, fixed: bool = False) -> Stream:
        """Return the stream for a purpose."""
        return stream(secret_of(self.table).seed(), *self.inside, *purpose)
