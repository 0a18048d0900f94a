"""A name that a field of the record holds, in the place of a line of a list."""

from __future__ import annotations

from typing import TYPE_CHECKING

import pyarrow as pa
import pyarrow.compute as pc

from yurt.core.arrays import strings
from yurt.core.columns.column import Column
from yurt.core.columns.evaluate import evaluate
from yurt.core.kinds.lists import ascii_of
from yurt.core.types import TEXT

if TYPE_CHECKING:
    from yurt.core.engine.batch import Batch
    from yurt.core.engine.world.lines import Codes
    from yurt.core.language.expressions import Expression


class Held:
    """The texts of an expression over the record's fields; it answers as a `Pick` does, whatever column is named."""

    def __init__(self, expression: Expression, batch: Batch, locales: tuple[str, ...]) -> None:
        found: Column = evaluate(expression, batch).spread(len(batch.rows))
        texts = Column(found.type, found.values).text(len(batch.rows))
        self._coded: pa.DictionaryArray = pc.dictionary_encode(texts)
        self._locale = locales[0]

    def text(self, column: str) -> Column:
        """Return the texts as they are."""
        return Column(TEXT, self._coded)

    def has(self, column: str) -> bool:
        """Return False: a field has one form of a name."""
        return False

    def text_by_sex(self, male: str, female: str, sex: Codes) -> Column:
        """Return the texts as they are."""
        return self.text(male)

    def ascii_by_sex(self, male: str, female: str, sex: Codes) -> Column:
        """Return the texts as they are written in addresses of the net."""
        return self.ascii(male)

    def ascii(self, column: str, first_letter: bool = False) -> Column:
        """Return the texts as they are written in addresses of the net."""
        words = [ascii_of(each or "", self._locale) for each in self._coded.dictionary.to_pylist()]
        words = [each[:1] for each in words] if first_letter else words
        return Column(TEXT, pa.DictionaryArray.from_arrays(self._coded.indices, strings(words)))
