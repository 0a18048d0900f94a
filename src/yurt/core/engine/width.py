"""How wide a row can get, in bytes: blocks of wide rows have fewer of them, so that memory stays bounded."""

from __future__ import annotations

from collections.abc import Mapping
from math import prod

from yurt.core.base.types import TEXT, Type
from yurt.core.model import Bytes, Derived, KindOf, ListOf, Matching, OneOf, Phrase, Record, Reference, Schema
from yurt.core.model.expressions import Expression, Literal, Member, Name, walk

USUAL = 32
SENTENCE = 200
# The bytes of one sentence, one paragraph and one character of texts whose size is told.
TOLD = {"sentences": SENTENCE, "paragraphs": 4 * SENTENCE, "longest": 8}


def row_widths(schema: Schema, types: Mapping[tuple[str, str], Type]) -> dict[str, int]:
    """Return about how many bytes a row of each record type takes at most, hidden fields included.

    `types` has the type of every field by record and field name, those that others use first.
    """
    widths: dict[tuple[str, str], int] = {}
    for (record, name), kind in types.items():
        whole = schema.records[record]
        wide = kind == TEXT or kind.name == "list"
        width = _width(schema, whole, whole.by_name[name].phrases, widths) if wide else USUAL
        widths[record, name] = width * _times(whole, name)
    found = dict.fromkeys(schema.records, 0)
    for (record, _), width in widths.items():
        found[record] += width
    return found


def _times(record: Record, name: str) -> int:
    """Return how many values a field has at most: those in lists of records have several."""
    heads = [record.by_name[each].head for each in record.lists if name.startswith(each + ".")]
    return prod(max(head.high, 1) for head in heads if isinstance(head, ListOf))


def _width(schema: Schema, record: Record, phrases: tuple[Phrase, ...], widths: dict[tuple[str, str], int]) -> int:
    most = USUAL
    for phrase in phrases:
        head = phrase.head
        if isinstance(head, ListOf):
            most = max(most, head.high * _width(schema, record, (head.phrase,), widths))
        elif isinstance(head, Bytes):
            most = max(most, 16 * head.high)
        elif isinstance(head, Matching):
            # A character takes up to four bytes while a text is put together.
            most = max(most, 4 * head.pattern.longest)
        elif isinstance(head, OneOf):
            most = max(most, *(len(each.encode()) for each in head.values if isinstance(each, str)), 0)
        elif isinstance(head, KindOf):
            most = max(most, SENTENCE, *(_told_width(name, values) for name, values in head.arguments))
        elif isinstance(head, Reference):
            key = schema.records[head.record].key
            most = max(most, widths.get((head.record, key.name), USUAL) if key is not None else USUAL)
        elif isinstance(head, Derived):
            most = max(most, _expression_width(head.expression, schema, record, widths))
    return most


def _told_width(name: str, values: tuple[Expression, ...]) -> int:
    """Return how wide a text gets by what its kind is told: so many sentences, paragraphs or characters."""
    count = values[0].value if values and isinstance(values[0], Literal) else 0
    return TOLD.get(name, 0) * count if isinstance(count, int) else 0


def _expression_width(
    expression: Expression, schema: Schema, record: Record, widths: dict[tuple[str, str], int]
) -> int:
    """Return the width of all that an expression mentions, one after the other: `&` makes no more of it."""
    total = USUAL
    for each in walk(expression):
        if isinstance(each, Literal) and isinstance(each.value, str):
            total += len(each.value.encode())
        elif isinstance(each, Name):
            total += widths.get((record.name, each.name), USUAL)
        elif isinstance(each, Member):
            head = record.by_name[each.reference].head
            total += widths.get((head.record, each.name), USUAL) if isinstance(head, Reference) else USUAL
    return total
