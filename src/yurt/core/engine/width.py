"""The maximum width of a row, in bytes: blocks of wide rows have fewer of them, to limit the memory."""

from __future__ import annotations

from collections.abc import Mapping
from math import prod

from yurt.core.base.types import TEXT, Type
from yurt.core.heads.head import NARROW
from yurt.core.heads.registry import rule_of
from yurt.core.model import ListOf, Phrase, Record, Reference, Schema
from yurt.core.model.expressions import Expression, Literal, Member, Name, walk


def row_widths(schema: Schema, types: Mapping[tuple[str, str], Type]) -> dict[str, int]:
    """Return the approximate maximum number of bytes per row of each record type, helper fields included.

    `types` has the type of every field by record and field name; fields come after those they depend on.
    """
    widths: dict[tuple[str, str], int] = {}
    for (record, name), kind in types.items():
        whole = schema.records[record]
        wide = kind == TEXT or kind.name == "list"
        scope = _Widths(schema, whole, widths)
        width = max([scope.phrase(each) for each in whole.by_name[name].phrases]) if wide else NARROW
        widths[record, name] = width * _times(whole, name)
    found = dict.fromkeys(schema.records, 0)
    for (record, _), width in widths.items():
        found[record] += width
    return found


def _times(record: Record, name: str) -> int:
    """Return the maximum number of values of a field: fields in lists of records have several."""
    heads = [record.by_name[each].head for each in record.lists if name.startswith(each + ".")]
    return prod(max(head.high, 1) for head in heads if isinstance(head, ListOf))


class _Widths:
    """The widths of the fields so far, as the fields of one record type see them."""

    def __init__(self, schema: Schema, record: Record, widths: dict[tuple[str, str], int]) -> None:
        self.schema, self.record, self.widths = schema, record, widths

    def phrase(self, phrase: Phrase) -> int:
        """Return the width of a phrase."""
        return max(NARROW, rule_of(phrase.head).width(phrase.head, self))

    def field(self, record: str, name: str) -> int:
        """Return the width of a field."""
        return self.widths.get((record, name), NARROW)

    def expression(self, expression: Expression) -> int:
        """Return the width of everything that an expression mentions: `&` cannot make more of it."""
        total = NARROW
        for each in walk(expression):
            if isinstance(each, Literal) and isinstance(each.value, str):
                total += len(each.value.encode())
            elif isinstance(each, Name):
                total += self.field(self.record.name, each.name)
            elif isinstance(each, Member):
                head = self.record.by_name[each.reference].head
                total += self.field(head.record, each.name) if isinstance(head, Reference) else NARROW
        return total
