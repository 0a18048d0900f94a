"""Makes texts that show only their first or last characters."""

from __future__ import annotations

from collections.abc import Callable

import pyarrow as pa
import pyarrow.compute as pc

from yurt.core import model
from yurt.core.base.arrays import joined
from yurt.core.columns.column import Column
from yurt.core.engine.by_value import changed
from yurt.core.engine.scope import BatchScope, TableScope
from yurt.core.heads.keep import Keep

COVERED = r"[\p{L}\p{M}\p{N}]"


def keep(field: model.Field, phrase: model.Phrase, table: TableScope) -> Callable[[BatchScope], Column]:
    """The ends of each value; a text that is too short to hide anything is covered as a whole."""
    head = phrase.head
    assert isinstance(head, Keep)

    def cover(texts: pa.Array) -> pa.Array:
        first = pc.utf8_slice_codeunits(texts, 0, head.first)
        last = pc.utf8_slice_codeunits(texts, -head.last) if head.last else ""
        middle = pc.utf8_slice_codeunits(texts, head.first, -head.last if head.last else None)
        hidden = pc.replace_substring_regex(middle, COVERED, head.mark)
        short = pc.less_equal(pc.utf8_length(texts), head.first + head.last)
        return pc.if_else(short, pc.replace_substring_regex(texts, COVERED, head.mark), joined(first, hidden, last))

    return changed(head, table, cover)


MAKES = {Keep: keep}
