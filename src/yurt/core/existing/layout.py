"""The columns of a new block: as they are in the file, or what the lines make of them."""

from __future__ import annotations

import numpy as np
import pyarrow as pa

from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow, flags, nothing
from yurt.core.engine.heads.shuffle import TITLE
from yurt.core.engine.resolved import Resolved
from yurt.core.engine.structs import Layout
from yurt.core.existing.lines import Lines
from yurt.core.existing.rows import FileBlock, part_of, passed_on
from yurt.core.existing.values import Seen
from yurt.core.formats.common.format import TextFormat, Unwritable
from yurt.core.formats.common.raw import NULL, NUMBER, STRING, Raw, absent
from yurt.core.heads.shuffle import Shuffle
from yurt.core.model import Field, FromColumn, Phrase, Treatment
from yurt.core.text.forms import text_of

# A number as in RFC 8259.
JSON_NUMBER = r"^-?(0|[1-9][0-9]*)([.][0-9]+)?([eE][+-]?[0-9]+)?$"


class ExistingLayout(Layout):
    """The columns of a block; those without a line are as they are in the file."""

    def __init__(self, lines: Lines, block: FileBlock, start: int, stop: int, resolved: Resolved) -> None:
        form = lines.form
        super().__init__(resolved, lines.record.shown, stop - start, form.typed, form.nests)
        self.lines, self.block, self.start = lines, block, start
        self.unknown = lines.matching.unknown_in(resolved, start)

    def _column(self, field: Field) -> pa.Array:
        if not untouched(field):
            column = super()._column(field)
            if (mask := self.unknown.get(field.name)) is not None:
                return pc.if_else(arrow(mask), nothing(column.type), column)
            self._count_lost(field, column)
            return self._as_before(field, column)
        head = field.head
        assert isinstance(head, FromColumn)
        at, raw = self.start - self.block.start, self.block.raws[head.title]
        part = part_of(raw, at, self.rows)
        return passed_on(part, self.lines.form, self.lines.found.get(head.title))

    def _count_lost(self, field: Field, column: pa.Array) -> None:
        """Count the values of a treated column that have no result."""
        body = field.body
        if not isinstance(body, Phrase) or not isinstance(body.head, Treatment) or field.present_if or body.missing:
            return
        raw = self.block.raws[self.lines.title_of(body.head)]
        at = self.start - self.block.start
        count = int((~raw.missing[at : at + self.rows] & flags(pc.is_null(column))).sum()) if column.null_count else 0
        if count:
            self.lines.count_lost(field.name, count)

    def _as_before(self, field: Field, column: pa.Array) -> pa.Array:
        """Return the results of a treatment in the type that the originals have: numbers stay numbers."""
        head = field.head
        if not isinstance(head, Treatment) or not head.keeps_type:
            return column
        title = self.lines.title_of(head)
        texts = text_of(column)
        if isinstance(head, Shuffle):
            title = TITLE.format(field.name)
        raw = part_of(self.block.raws.get(title, absent(0)), self.start - self.block.start, self.rows)
        found = self.lines.found.get(self.lines.title_of(head))
        if head.word == "encrypt" and not _numeric(raw, found):
            # Other digits are no date, and other letters are no `true`.
            return column
        if raw.array is not None and not isinstance(self.lines.form, TextFormat):
            try:
                return pc.cast(texts, raw.array.type)
            except pa.ArrowInvalid:
                kind = raw.array.type
                told = f"`{title}` has the type {kind} in the file, which cannot hold all results of `{head.word}`"
                raise Unwritable(f"{told}; write a format of texts, such as csv") from None
        sorts = np.where(flags(pc.is_valid(texts)), np.where(raw.missing, STRING, raw.sorts), NULL).astype(np.uint8)
        sorts[(sorts == NUMBER) & ~flags(pc.match_substring_regex(texts, JSON_NUMBER))] = STRING
        return passed_on(Raw(texts, sorts), self.lines.form, found)


def _numeric(raw: Raw, found: Seen | None) -> bool:
    """Return whether a column has numbers, by its type in the file or by how they are written."""
    if raw.array is not None:
        kind = raw.array.type
        return bool(pa.types.is_integer(kind) or pa.types.is_decimal(kind))
    if found is not None and found.type is not None:
        return found.type.name in ("integer", "decimal")
    return bool((raw.sorts[~raw.missing] == NUMBER).all())


def untouched(field: Field) -> bool:
    """Return whether a field is a column of the file as it is there."""
    body = field.body
    if not isinstance(body, Phrase) or not isinstance(body.head, FromColumn):
        return False
    return field.present_if is None and field.shown is None and not body.missing
