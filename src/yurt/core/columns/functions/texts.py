"""Functions of texts."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import TYPE_CHECKING

import numpy as np
import pyarrow as pa

from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow, distinct, flags, numbers, strings, word
from yurt.core.base.types import BOOLEAN, INTEGER, TEXT
from yurt.core.columns.column import Column
from yurt.core.columns.faults import refuse
from yurt.core.columns.functions.registry import function, nulls_of
from yurt.core.columns.writers import written

if TYPE_CHECKING:
    from yurt.core.columns.scope import Scope

MAX_WIDTH = 1000
# The bytes of a text that a replacement may make, and of all those that are made at once.
LONGEST_TEXT, MOST_BYTES = 2**24, 2**30


def _texts(column: Column, scope: Scope) -> pa.Array:
    return Column(column.type, column.values).text(len(scope.rows))


def _mapped(column: Column, scope: Scope, change: Callable[[pa.Array], pa.Array]) -> Column:
    """Change texts; dictionary-encoded texts are changed once per word, not per row."""
    if isinstance(column.values, pa.DictionaryArray):
        words = change(column.values.dictionary)
        return Column(TEXT, pa.DictionaryArray.from_arrays(column.values.indices, words), column.nulls)
    return Column(TEXT, change(_texts(column, scope)), column.nulls)


@function("text", "text", "in capitals", 'upper("hut")')
def upper(columns: list[Column], scope: Scope) -> Column:
    return _mapped(columns[0], scope, pc.utf8_upper)


@function("text", "text", "in small letters", 'lower("HUT")')
def lower(columns: list[Column], scope: Scope) -> Column:
    return _mapped(columns[0], scope, pc.utf8_lower)


@function("text", "text", "without spaces at both ends", 'trim("  hut ")')
def trim(columns: list[Column], scope: Scope) -> Column:
    return _mapped(columns[0], scope, pc.utf8_trim_whitespace)


@function("text", "integer", "the number of characters", 'length("hut")')
def length(columns: list[Column], scope: Scope) -> Column:
    return Column(
        INTEGER, numbers(pc.utf8_length(_texts(columns[0], scope)), np.int32).astype(np.int64), columns[0].nulls
    )


def _cut(columns: list[Column], scope: Scope, from_end: bool) -> Column:
    """Cut to a number of characters, which may differ by row: one cut for each different number."""
    nulls = nulls_of(columns)
    texts = _texts(columns[0], scope)
    sizes = np.maximum(np.broadcast_to(columns[1].values, (len(scope.rows),)), 0)
    found = texts
    for size in distinct(sizes):
        if from_end:
            part = pc.utf8_slice_codeunits(texts, start=-int(size)) if size else strings([""] * len(texts))
        else:
            part = pc.utf8_slice_codeunits(texts, start=0, stop=int(size))
        found = pc.if_else(arrow(sizes == size), part, found)
    return Column(TEXT, found, nulls)


@function("text integer", "text", "a number of characters from the start", 'left("summit", 3)')
def left(columns: list[Column], scope: Scope) -> Column:
    return _cut(columns, scope, from_end=False)


@function("text integer", "text", "a number of characters from the end", 'right("summit", 3)')
def right(columns: list[Column], scope: Scope) -> Column:
    return _cut(columns, scope, from_end=True)


@function(
    "text constant constant",
    "text",
    "every occurrence of the second text replaced by the third",
    'replace("a-b", "-", "_")',
)
def replace(columns: list[Column], scope: Scope) -> Column:
    old, new = (each.values.as_py() for each in columns[1:])
    if not old:
        return columns[0]
    grown = len(new.encode()) - len(old.encode())
    if grown > 0:
        _refuse_too_long(columns[0], old, grown, scope)
    return _mapped(columns[0], scope, lambda words: pc.replace_substring(words, pattern=old, replacement=new))


def _refuse_too_long(column: Column, old: str, grown: int, scope: Scope) -> None:
    """Refuse rows whose text would be too long if every occurrence of a part grew by some bytes."""
    coded = isinstance(column.values, pa.DictionaryArray)
    words = column.values.dictionary if coded else _texts(column, scope)
    sizes = numbers(pc.binary_length(words), np.int32).astype(np.int64)
    sizes = sizes + numbers(pc.count_substring(words, pattern=old), np.int32).astype(np.int64) * grown
    long = sizes > LONGEST_TEXT
    if long.any():
        at = numbers(column.values.indices, np.int32) if coded else np.arange(len(long))
        refuse(scope.rows, long[at], f"a text of more than {LONGEST_TEXT // 2**20} MB", column.nulls)
    if not coded and int(sizes.sum()) > MOST_BYTES:
        refuse(scope.rows, np.array(True), f"texts of more than {MOST_BYTES // 2**20} MB in the rows made at once")


@function("text constant", "boolean", "whether the second text occurs in the first", 'contains("summit", "mm")')
def contains(columns: list[Column], scope: Scope) -> Column:
    found = pc.match_substring(_texts(columns[0], scope), columns[1].values.as_py())
    return Column(BOOLEAN, flags(found), columns[0].nulls)


@function("any", "text", "as text, in the standard form of its type", "text(1.50)")
def text(columns: list[Column], scope: Scope) -> Column:
    return Column(TEXT, _texts(columns[0], scope), columns[0].nulls)


@function("text", "text", "every word with a capital first letter", 'title("upper hut")')
def title(columns: list[Column], scope: Scope) -> Column:
    return _mapped(columns[0], scope, pc.utf8_title)


def _without_marks(texts: pa.Array) -> pa.Array:
    """Decompose letters and marks (Unicode form NFKD) and drop the marks; some letters cannot be decomposed."""
    for letter, letters in (("ß", "ss"), ("æ", "ae"), ("œ", "oe"), ("ø", "o"), ("đ", "d"), ("ł", "l")):
        texts = pc.replace_substring(texts, pattern=letter, replacement=letters)
        texts = pc.replace_substring(texts, pattern=letter.upper(), replacement=letters.title())
    return pc.replace_substring_regex(pc.utf8_normalize(texts, "NFKD"), pattern=r"\p{M}", replacement="")


def _slug(texts: pa.Array) -> pa.Array:
    words = pc.replace_substring_regex(pc.utf8_lower(_without_marks(texts)), pattern="[^a-z0-9]+", replacement="-")
    return pc.utf8_trim(words, "-")


def _collapsed(texts: pa.Array) -> pa.Array:
    blanks = r"[\s\x{A0}\x{2000}-\x{200A}\x{202F}\x{205F}\x{3000}]+"
    return pc.utf8_trim(pc.replace_substring_regex(texts, pattern=blanks, replacement=" "), " ")


@function("text", "text", "letters without accents and other marks", 'without_accents("Žiga Größe")')
def without_accents(columns: list[Column], scope: Scope) -> Column:
    return _mapped(columns[0], scope, _without_marks)


@function("text", "text", "small letters and digits, with hyphens between words", 'slug("Žiga Größe")')
def slug(columns: list[Column], scope: Scope) -> Column:
    return _mapped(columns[0], scope, _slug)


@function("text", "text", "the first letter of every word", 'initials("Anna de Luca")')
def initials(columns: list[Column], scope: Scope) -> Column:
    pattern = r"[^\p{L}]*(\p{L})[\p{L}\p{M}']*[^\p{L}]*"
    return _mapped(
        columns[0], scope, lambda texts: pc.replace_substring_regex(texts, pattern=pattern, replacement=r"\1")
    )


@function(
    "text",
    "text",
    "one space for every run of spaces, none at the ends; no-break spaces count too",
    'normalize_space(" upper   hut ")',
)
def normalize_space(columns: list[Column], scope: Scope) -> Column:
    return _mapped(columns[0], scope, _collapsed)


def _without(column: Column, scope: Scope, pattern: str) -> Column:
    """Return texts without the matches of a regular expression."""
    return _mapped(column, scope, lambda texts: pc.replace_substring_regex(texts, pattern=pattern, replacement=""))


@function("text", "text", "only the digits", 'digits("HK-402")')
def digits(columns: list[Column], scope: Scope) -> Column:
    return _without(columns[0], scope, "[^0-9]")


@function("text constant", "integer", "how often the second text occurs in the first", 'count("banana", "an")')
def count(columns: list[Column], scope: Scope) -> Column:
    found = pc.count_substring(_texts(columns[0], scope), columns[1].values.as_py())
    return Column(INTEGER, numbers(found, np.int32).astype(np.int64), columns[0].nulls)


@function("text literal constant", "text", "padded at the start to that width", 'pad("7", 3, "0")')
def pad(columns: list[Column], scope: Scope) -> Column:
    return _padded(columns, scope, pc.utf8_lpad)


def _padded(columns: list[Column], scope: Scope, fill: Callable[[pa.Array, int, str], pa.Array]) -> Column:
    width, filler = int(columns[1].values), columns[2].values.as_py()
    refuse(
        scope.rows, not 0 <= width <= MAX_WIDTH or len(filler) != 1, "pad takes a width up to 1,000 and one character"
    )
    return _mapped(columns[0], scope, lambda texts: fill(texts, width, filler))


@function(
    "text constant constant",
    "text",
    "the text between two marks; missing without both",
    'between("hut [12]", "[", "]")',
)
def between(columns: list[Column], scope: Scope) -> Column:
    first, last = (re.escape(each.values.as_py()) for each in columns[1:])
    texts = _texts(columns[0], scope)
    pattern = f"(?s)^.*?{first}(?P<inside>.*?){last}"
    inside = pc.extract_regex(texts, pattern=pattern)
    found = pc.fill_null(pc.struct_field(inside, [0]), word(""))
    without = ~flags(pc.match_substring_regex(texts, pattern))
    return Column(TEXT, found, without if columns[0].nulls is None else without | columns[0].nulls)


@function(
    "text literal literal",
    "text",
    "the characters from one place to another, counted from 1",
    'substring("HK-402", 4, 6)',
)
def substring(columns: list[Column], scope: Scope) -> Column:
    first, last = (max(int(each.values), 0) for each in columns[1:])
    start = max(first - 1, 0)
    return _mapped(columns[0], scope, lambda texts: pc.utf8_slice_codeunits(texts, start=start, stop=max(last, start)))


@function("text constant", "boolean", "whether a text begins with another", 'starts_with("summit", "su")')
def starts_with(columns: list[Column], scope: Scope) -> Column:
    found = pc.starts_with(_texts(columns[0], scope), columns[1].values.as_py())
    return Column(BOOLEAN, flags(found), columns[0].nulls)


@function("text constant", "boolean", "whether a text ends with another", 'ends_with("summit", "it")')
def ends_with(columns: list[Column], scope: Scope) -> Column:
    found = pc.ends_with(_texts(columns[0], scope), columns[1].values.as_py())
    return Column(BOOLEAN, flags(found), columns[0].nulls)


@function("text literal constant", "text", "padded at the end to that width", 'pad_end("7", 3, ".")')
def pad_end(columns: list[Column], scope: Scope) -> Column:
    return _padded(columns, scope, pc.utf8_rpad)


@function(
    "text",
    "text",
    "without characters that cannot be seen: control characters, zero-width ones",
    r'without_control_characters("a\u{200B}b")',
)
def without_control_characters(columns: list[Column], scope: Scope) -> Column:
    """Control and format characters and line ends are removed; spaces of all kinds stay."""
    return _without(columns[0], scope, r"[\p{Cc}\p{Cf}\p{Zl}\p{Zp}]")


@function(
    "text", "text", "without parts in brackets and the space before them", 'without_brackets("Upper Hut (closed)")'
)
def without_brackets(columns: list[Column], scope: Scope) -> Column:
    return _without(columns[0], scope, r"\s*(\([^()]*\)|\[[^\[\]]*\]|\{[^{}]*\})")


@function(
    "any constant",
    "formatted",
    "as text, like an example or a date pattern (see the clause `as`)",
    'format(1234.5, "1,000.00")',
)
def format_(columns: list[Column], scope: Scope) -> Column:
    bare = Column(columns[0].type, columns[0].values)
    return Column(TEXT, written(bare, columns[1].values.as_py(), len(scope.rows)), columns[0].nulls)
