"""Makes texts that show only their first or last letters and digits."""

from __future__ import annotations

from collections.abc import Callable

import pyarrow as pa

from yurt.core import model
from yurt.core.base import compute as pc
from yurt.core.base.arrays import joined
from yurt.core.columns.column import Column
from yurt.core.engine.by_value import changed
from yurt.core.engine.scope import BatchScope, TableScope
from yurt.core.heads.keep import Keep

SIGN, OTHER = r"[\p{L}\p{M}\p{N}]", r"[^\p{L}\p{M}\p{N}]"


def keep(field: model.Field, phrase: model.Phrase, table: TableScope) -> Callable[[BatchScope], Column]:
    """The ends of each value; a text that is too short to hide anything is covered as a whole."""
    head = phrase.head
    assert isinstance(head, Keep)

    first = f"(?P<first>(?:{OTHER}*{SIGN}){{{head.first}}})"
    pattern = f"(?s)^{first}(?P<middle>.*{SIGN}.*?)(?P<last>(?:{SIGN}{OTHER}*){{{head.last}}})$"

    def cover(texts: pa.Array) -> pa.Array:
        found = pc.extract_regex(texts, pattern=pattern)
        names = [each.name for each in found.type]
        first, middle, last = (pc.struct_field(found, [names.index(each)]) for each in ("first", "middle", "last"))
        hidden = joined(first, pc.replace_substring_regex(middle, SIGN, head.mark), last)
        return pc.if_else(pc.is_valid(found), hidden, pc.replace_substring_regex(texts, SIGN, head.mark))

    return changed(head, table, cover)


MAKES = {Keep: keep}
