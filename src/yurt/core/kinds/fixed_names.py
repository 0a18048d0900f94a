"""Names taken from an existing field; same interface as `Pick`."""

from __future__ import annotations

from typing import TYPE_CHECKING

import pyarrow as pa

from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow, strings
from yurt.core.base.types import TEXT
from yurt.core.columns.column import Column
from yurt.core.columns.evaluate import evaluate
from yurt.core.kinds.lists import ascii_of

if TYPE_CHECKING:
    from collections.abc import Callable

    from yurt.core.columns.scope import Scope
    from yurt.core.kinds.picks import Codes, Pick
    from yurt.core.model.expressions import Expression


class FixedNames:
    """The texts of an expression over the record's fields; same interface as `Pick`, for any column."""

    def __init__(
        self, expression: Expression, scope: Scope, locales: tuple[str, ...], otherwise: Callable[[], Pick]
    ) -> None:  # fmt: skip
        """`otherwise` draws names for rows in which the field has none."""
        found: Column = evaluate(expression, scope).spread(len(scope.rows))
        self._missing = found.nulls if found.nulls is not None and found.nulls.any() else None
        self._drawn = otherwise() if self._missing is not None else None
        texts = Column(found.type, found.values).text(len(scope.rows))
        self._coded: pa.DictionaryArray = pc.dictionary_encode(texts)
        self._locale = locales[0]

    def text(self, column: str) -> Column:
        """Return the texts as they are."""
        return self._filled(Column(TEXT, self._coded), lambda drawn: drawn.text(column))

    def has(self, column: str) -> bool:
        """Return False: a field has one form of a name."""
        return False

    def text_by_sex(self, male: str, female: str, sex: Codes) -> Column:
        """Return the texts as they are."""
        return self.text(male)

    def ascii_by_sex(self, male: str, female: str, sex: Codes) -> Column:
        """Return the texts as e-mail addresses and host names spell them."""
        return self.ascii(male)

    def ascii(self, column: str, first_letter: bool = False) -> Column:
        """Return the texts as e-mail addresses and host names spell them."""
        words = [ascii_of(each or "", self._locale) for each in self._coded.dictionary.to_pylist()]
        words = [each[:1] for each in words] if first_letter else words
        found = Column(TEXT, pa.DictionaryArray.from_arrays(self._coded.indices, strings(words)))
        return self._filled(found, lambda drawn: drawn.ascii(column, first_letter))

    def _filled(self, found: Column, drawn: Callable[[Pick], Column]) -> Column:
        """Return a column with drawn names where the field has none."""
        if self._missing is None or self._drawn is None:
            return found
        rows = len(self._missing)
        texts = pc.if_else(arrow(self._missing), drawn(self._drawn).text(rows), found.text(rows))
        return Column(TEXT, pc.dictionary_encode(texts))
