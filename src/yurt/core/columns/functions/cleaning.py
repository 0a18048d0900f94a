"""Functions that clean texts up: one form for what was written in many."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

import numpy as np
import pyarrow as pa

from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow, flags, numbers, numbers_or, strings, word
from yurt.core.base.types import BOOLEAN, DATE, TEXT
from yurt.core.columns.column import Column, Mask
from yurt.core.columns.faults import RowFault, refuse
from yurt.core.columns.functions.registry import function

if TYPE_CHECKING:
    from yurt.core.columns.scope import Scope

GROUP = "clean-up"
# The shortest telephone number with its country (ITU-T E.164 has at most 15 digits and no least number).
SHORTEST, LONGEST = 7, 15
MOST_PATTERNS = 12


def _texts(column: Column, scope: Scope) -> pa.Array:
    texts = Column(column.type, column.values).text(len(scope.rows))
    return pc.fill_null(texts, word("")) if texts.null_count else texts


def _constant(column: Column) -> str:
    return str(column.values.as_py())


def _or(nulls: Mask | None, more: Mask) -> Mask | None:
    found = more if nulls is None else nulls | more
    return found if found.any() else None


@function("text", "text", "with a capital first letter, all others small", 'sentence("UPPER hut, east")', group=GROUP)
def sentence(columns: list[Column], scope: Scope) -> Column:
    return Column(TEXT, pc.utf8_capitalize(_texts(columns[0], scope)), columns[0].nulls)


@function(
    "text constant literal", "text",
    "one of the parts between marks, from 1, or from -1 for the last; missing if there are fewer",
    'part("Graz / Styria / Austria", " / ", 2)', group=GROUP,
)  # fmt: skip
def part(columns: list[Column], scope: Scope) -> Column:
    mark, at = _constant(columns[1]), int(columns[2].values)
    if not mark or not at:
        raise RowFault("`part` takes a mark of at least one character, and a position from 1 or from -1", 0)
    lists = pc.split_pattern(_texts(columns[0], scope), mark)
    lengths = numbers(pc.list_value_length(lists), np.int32).astype(np.int64)
    starts = np.cumsum(lengths) - lengths
    there = lengths >= abs(at)
    places = np.where(there, starts + (at - 1 if at > 0 else lengths + at), 0)
    found = pc.take(pc.list_flatten(lists), arrow(places)) if len(places) else strings([])
    return Column(TEXT, found, _or(columns[0].nulls, ~there))


@function(
    "text constant constant", "text",
    "the named part of a regular expression; missing where it does not match",
    'captured("room 12, 2nd floor", "room (?P<room>[0-9]+)", "room")', group=GROUP,
)  # fmt: skip
def captured(columns: list[Column], scope: Scope) -> Column:
    pattern, name = _constant(columns[1]), _constant(columns[2])
    texts = _texts(columns[0], scope)
    try:
        found = pc.extract_regex(texts, pattern=pattern)
    except pa.ArrowInvalid as fault:
        raise RowFault(f"`{pattern}` cannot be used: {str(fault).rpartition(': ')[2]}", 0) from None
    names = [each.name for each in found.type]
    if name not in names:
        raise RowFault(f"`{pattern}` has no part `{name}`; write it like (?P<{name}>[0-9]+)", 0)
    without = ~flags(pc.is_valid(found))
    inside = pc.fill_null(pc.struct_field(found, [names.index(name)]), word(""))
    return Column(TEXT, inside, _or(columns[0].nulls, without))


@function(
    "constant text text", "text", "the texts that are there and not empty, with the first text between them",
    'combined(", ", "Graz", null, "Austria")', group=GROUP, least=2, most=20,
)  # fmt: skip
def combined(columns: list[Column], scope: Scope) -> Column:
    between, rows = _constant(columns[0]), len(scope.rows)
    found, any_there = strings([""] * rows), np.zeros(rows, dtype=np.bool_)
    for each in columns[1:]:
        column = each.spread(rows)
        texts = _texts(column, scope) if column.type == TEXT else strings([""] * rows)
        there = flags(pc.not_equal(texts, word("")))
        there = there if column.nulls is None else there & ~column.nulls
        both, only = there & any_there, there & ~any_there
        found = pc.if_else(arrow(both), pc.binary_join_element_wise(found, texts, word(between)), found)
        found = pc.if_else(arrow(only), texts, found)
        any_there |= there
    return Column(TEXT, found, _or(None, ~any_there))


@function(
    "text constant constant", "date",
    "the date that one of some patterns reads; refused where two patterns read different ones, or none reads any",
    'to_date("24.12.2026", "%d.%m.%Y", "%Y-%m-%d")', group=GROUP, least=2, most=MOST_PATTERNS,
)  # fmt: skip
def to_date(columns: list[Column], scope: Scope) -> Column:
    texts, nulls = pc.utf8_trim_whitespace(_texts(columns[0], scope)), columns[0].nulls
    nulls = _or(nulls, flags(pc.equal(texts, word(""))))
    values = np.zeros(len(texts), dtype=np.int64)
    read_by = np.full(len(texts), -1, dtype=np.int64)
    patterns = [_constant(each) for each in columns[1:]]
    for number, pattern in enumerate(patterns):
        days, good = _read(texts, pattern)
        again = good & (read_by >= 0) & (days != values)
        if again.any():
            at = int(np.argmax(again))
            told = " and ".join(
                f"{np.datetime64(int(day), 'D')} as `{each}`"
                for day, each in ((values[at], patterns[int(read_by[at])]), (days[at], pattern))
            )
            message = f"`{texts[at].as_py()}` is {told}: nobody can tell which. Leave one of the patterns out"
            raise RowFault(message, int(scope.rows[at]))
        values = np.where(good, days, values)
        read_by = np.where(good & (read_by < 0), number, read_by)
    listed = ", ".join(f"`{each}`" for each in patterns)
    refuse(scope.rows, read_by < 0, f"not a date in {listed}", nulls, {"the text": columns[0]})
    return Column(DATE, values, nulls)


def _read(texts: pa.Array, pattern: str) -> tuple[np.ndarray[tuple[int], np.dtype[np.int64]], Mask]:
    """Return the days since 1970 that a pattern reads, and where it reads any."""
    try:
        found = pc.strptime(texts, format=pattern, unit="s", error_is_null=True)
    except pa.ArrowInvalid:
        raise RowFault(f"`{pattern}` is not a pattern of a date, such as `%d.%m.%Y`", 0) from None
    # The thirtieth of February would be read as a day of March: what was read must be what is written.
    good = flags(pc.equal(_plain(pc.strftime(found, format=pattern)), _plain(texts)))
    seconds = numbers_or(pc.cast(found, pa.int64()), np.int64, 0)
    # `%Y` takes two digits as well; a year without its century is a pattern of its own, `%y`.
    if "%Y" in pattern:
        good = good & flags(pc.match_substring_regex(texts, r"(^|[^0-9])[0-9]{4}([^0-9]|$)|[0-9]{8}"))
    return seconds // 86_400, good


def _plain(texts: pa.Array) -> pa.Array:
    """Return texts in small letters, with numbers without leading zeros."""
    return pc.replace_substring_regex(pc.utf8_lower(texts), r"0*([0-9]+)", r"\1")


@function(
    "text constant constant", "boolean",
    "true or false, by words for each; any other text is refused. Case and spaces at the ends do not matter",
    'yes_no("Ja", "yes | ja | x", "no | nein | -")', group=GROUP,
)  # fmt: skip
def yes_no(columns: list[Column], scope: Scope) -> Column:
    texts = pc.utf8_lower(pc.utf8_trim_whitespace(_texts(columns[0], scope)))
    nulls = _or(columns[0].nulls, flags(pc.equal(texts, word(""))))
    words = [strings([each.strip().lower() for each in _constant(one).split("|")]) for one in columns[1:]]
    true, false = (flags(pc.is_in(texts, value_set=each)) for each in words)
    told = f"neither of {_constant(columns[1])} nor of {_constant(columns[2])}"
    refuse(scope.rows, ~(true | false), told, nulls, {"the text": columns[0]})
    return Column(BOOLEAN, true, nulls)


@function(
    "text constant", "text",
    "a telephone number with its country and without marks (ITU-T E.164); missing for what cannot be one",
    'phone("0664 / 123 45 67", "43")', group=GROUP,
)  # fmt: skip
def phone(columns: list[Column], scope: Scope) -> Column:
    country = re.sub(r"\D", "", _constant(columns[1]))
    texts = _texts(columns[0], scope)
    # `+43 (0)664`: the zero in brackets is for calls inside the country.
    texts = pc.replace_substring_regex(texts, r"\(0\)", "")
    abroad = pc.match_substring_regex(texts, r"^\s*(\+|00)")
    digits = pc.replace_substring_regex(texts, r"[^0-9]", "")
    own = pc.replace_substring_regex(digits, "^0", country)
    other = pc.replace_substring_regex(digits, "^00", "")
    found = pc.binary_join_element_wise(word("+"), pc.if_else(abroad, other, own), word(""))
    size = numbers(pc.utf8_length(found), np.int32)
    odd = flags(pc.match_substring_regex(texts, r"[^0-9+()/.\-\s\x{A0}]"))
    wrong = (size <= SHORTEST) | (size > LONGEST + 1) | odd
    return Column(TEXT, found, _or(columns[0].nulls, wrong))
