"""Writes records as YAML: block style for mappings, flow style for lists of plain values.

A text is written as in JSON, whose escapes are those of double quotes in YAML (1.2.2, section 5.7); what YAML does not
call printable, and what YAML 1.1 takes for a line end, is escaped as well.
"""

from __future__ import annotations

import json
import re

import pyarrow as pa

from yurt.core.base import compute as pc
from yurt.core.base.arrays import joined, word
from yurt.core.formats.common.format import finished
from yurt.core.text.json_text import tokens

# Names that need no quotes, and words that some reader takes for something else.
PLAIN = re.compile(r"[A-Za-z_][A-Za-z0-9_-]*")
WORDS = frozenset(["y", "n", "yes", "no", "on", "off", "true", "false", "null"])
UNPRINTABLE = "\x7f-\x9f\u2028\u2029\ufeff\ufffe\uffff"


def records(batch: pa.RecordBatch, absent: bool = False) -> pa.Array:
    """Return one item of a sequence per record; with `absent`, a missing value is not written."""
    whole = _mapping(batch.schema.names, batch.columns, "  ", absent)
    empty = pc.equal(whole, word(""))
    # The first member stands beside the dash.
    found = joined("- ", pc.if_else(empty, word("{}"), pc.utf8_slice_codeunits(whole, 3)))
    return _printable(found)


def values(column: pa.Array) -> pa.Array:
    """Return the values in flow style."""
    texts = tokens(column)
    kind = column.type.value_type if pa.types.is_list(column.type) else column.type
    # Readers of YAML 1.1 want a point in front of an exponent.
    return pc.replace_substring_regex(texts, r"\b(\d+)e([-+])", r"\1.0e\2") if pa.types.is_floating(kind) else texts


def values_or_absent(column: pa.Array) -> pa.Array:
    """Return the values in flow style, an empty text (an absent member) for a missing one."""
    return pc.if_else(pc.is_valid(column), values(column), word(""))


def _printable(texts: pa.Array) -> pa.Array:
    if pc.any(pc.match_substring_regex(texts, f"[{UNPRINTABLE}]")).as_py():
        for char in sorted(set(re.findall(f"[{UNPRINTABLE}]", "".join(texts.to_pylist())))):
            texts = pc.replace_substring(texts, pattern=char, replacement=f"\\u{ord(char):04x}")
    return texts


def _mapping(names: list[str], columns: list[pa.Array], indent: str, absent: bool) -> pa.Array:
    """Return the members of mappings, each on a line that begins with a line end."""
    members = []
    for name, column in zip(names, columns, strict=True):
        key = name if PLAIN.fullmatch(name) and name.lower() not in WORDS else json.dumps(name, ensure_ascii=False)
        member = joined(f"\n{indent}{key}:", _value(column, indent, absent))
        # An empty text of the file is an absent member.
        gone = pc.equal(column, word("")) if finished(column) else pc.is_null(column) if absent else None
        members.append(member if gone is None else pc.if_else(pc.fill_null(gone, absent), word(""), member))
    return joined(*members) if len(members) > 1 else members[0]


def _value(column: pa.Array, indent: str, absent: bool) -> pa.Array:
    """Return the values as they stand behind the name and its colon."""
    kind, deeper = column.type, indent + "  "
    if pa.types.is_struct(kind):
        inside = _mapping([each.name for each in kind], column.flatten(), deeper, absent)
        texts = pc.if_else(pc.equal(inside, word("")), word(" {}"), inside)
    elif pa.types.is_list(kind) and pa.types.is_struct(kind.value_type):
        items = pc.list_flatten(column)
        inside = _mapping([each.name for each in kind.value_type], items.flatten(), deeper + "  ", absent)
        first = pc.if_else(pc.equal(inside, word("")), word("{}"), pc.utf8_slice_codeunits(inside, len(deeper) + 3))
        lines = joined(f"\n{deeper}- ", first)
        lines = pc.if_else(pc.is_valid(items), lines, word(f"\n{deeper}- null"))
        offsets = pc.subtract(column.offsets, column.offsets[0])
        texts = pc.binary_join(pa.ListArray.from_arrays(offsets, lines), word(""))
        texts = pc.if_else(pc.equal(texts, word("")), word(" []"), texts)
    else:
        return joined(" ", values(column))
    return pc.fill_null(pc.if_else(pc.is_valid(column), texts, word(" null")), word(" null"))
