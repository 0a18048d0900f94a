"""Rules for the values of each head: one short function per head, which yields violations.

Each gets a `CheckInput`: rows with a value of the right type, and with bounds that can be computed.
"""

from __future__ import annotations

from collections.abc import Iterator
from decimal import Decimal

import numpy as np
import pyarrow as pa

from yurt.core import model
from yurt.core.base import compute as pc
from yurt.core.base import exact
from yurt.core.base.arrays import Values, arrow, flags, numbers, numbers_or, strings
from yurt.core.base.data_classes import dataclass
from yurt.core.base.public_holidays import CYCLE, public_holidays
from yurt.core.base.types import REAL, TEXT, Type
from yurt.core.columns.column import Column, Mask, cast, compared, constant, units
from yurt.core.columns.evaluate import arithmetic_of, evaluate
from yurt.core.columns.matching import follows
from yurt.core.columns.writers import written
from yurt.core.kinds.catalogue import KINDS
from yurt.core.kinds.contract import Contract, lengths
from yurt.core.model import ItemValue, Phrase, Schema
from yurt.core.model.constants import Constant
from yurt.core.model.restriction import fits
from yurt.core.patterns.parse import parse
from yurt.core.patterns.tree import Pattern
from yurt.core.verify.check_digits import judged
from yurt.core.verify.frame import Frame
from yurt.core.verify.own_units import in_units_of, own_type
from yurt.core.verify.typed import Typed
from yurt.core.verify.violation import Violation, violation

DAY = 86_400_000_000
SHOWN = 6


@dataclass(frozen=True)
class CheckInput:
    """Values to check: their rows as a scope, and whether a number has too many places."""

    frame: Frame
    column: Column
    texts: pa.Array
    finer: Mask | None
    schema: Schema
    contract: Contract
    # Whether values must be in the safe ranges of their kinds.
    safe: bool = False
    # The form of `as` in the file; empty without one.
    pattern: str = ""


def broken(phrase: Phrase, given: CheckInput) -> Iterator[Violation]:
    """Yield the violations of a phrase, in the order of the rules."""
    head = phrase.head
    if given.contract.states:
        yield from _kind(phrase, given)
    match head:
        case model.Matching() if given.contract.states:
            pass
        case model.Matching():
            yield from _pattern(head, given)
        case model.OneOf() if given.contract.open:
            pass
        case model.OneOf():
            yield from _listed(head.values, given)
        case model.FromList():
            yield from _listed(given.schema.lists[head.name].column(head.column), given)
        case model.Sequence():
            yield from _sequence(head, given)
        case model.Bytes():
            yield from _bytes(head, given)
        case model.Uuid() if not given.contract.states:
            yield from _followed((parse(uuid_form(head.version)),), given, f"a UUID of version {head.version}")[1]
        case (
            model.Integer()
            | model.DecimalNumber()
            | model.Date()
            | model.Time()
            | model.DateTime()
            | model.DurationRange()
        ):
            yield from _ranged(head, phrase, given)
        case model.TimeSeries():
            yield from _series(head, given)
    if given.safe and given.contract.safe and given.column.type == TEXT:
        away = np.logical_or.reduce([unmatched(parse(each), given.texts) for each in given.contract.safe])
        yield violation("safe range", away, f"a value of the safe range of {_name(phrase)}")
    if phrase.narrowed is not None:
        yield from _narrowed(phrase.narrowed, given)


def uuid_form(version: int) -> str:
    """Return the pattern of UUIDs of a version (RFC 9562)."""
    hexa = "[0-9a-fA-F]"
    return f"{hexa}{{8}}-{hexa}{{4}}-{version}{hexa}{{3}}-[89abAB]{hexa}{{3}}-{hexa}{{12}}"


def _text_of(column: Column, at: int) -> str:
    return str((column if column.constant else column.take(np.array([at]))).text(1)[0].as_py())


def _end_of(column: Column, at: int, given: CheckInput) -> str:
    """Return an end of a range in the form of the values in the file."""
    one = column if column.constant else column.take(np.array([at]))
    if given.pattern and one.type.name == given.column.type.name and not given.column.type.numeric:
        return str(written(one, given.pattern, 1)[0].as_py())
    return _text_of(column, at)


# ---- ranges ----------------------------------------------------------------------------------------------------------


def _ranged(head: model.Ranged, phrase: Phrase, given: CheckInput) -> Iterator[Violation]:
    ends = [evaluate(each, given.frame).spread(given.frame.size) for each in (head.range.low, head.range.high)]
    unknown = np.logical_or.reduce([each.nulls for each in ends if each.nulls is not None] or [np.array(False)])
    outside = (_less(given.column, ends[0]) | _less(ends[1], given.column)) & ~unknown
    if not isinstance(head, model.Date) and not outside.all():
        # A value with more places may exceed a bound only by what was cut off.
        outside |= _beyond(given, ends[1]) & ~unknown
    yield violation("range", outside, lambda at: "..".join(_end_of(each, at, given) for each in ends))
    step = 1 if isinstance(head, model.Date) else head.step
    own = own_type(head, given.column.type)
    values, off = in_units_of(given.column, own)
    off = off if given.finer is None else off | given.finer
    if step > 1:
        off = off | (((values - inwards(ends[0], own)) % step != 0) & ~unknown)
    yield violation("step", off & ~outside, f"steps of {_step_text(head, own)}")
    if phrase.days is not None:
        days = values if isinstance(head, model.Date) else values // DAY
        months = days.astype("datetime64[D]").astype("datetime64[M]").astype(np.int64) % 12
        yield violation("month", ~np.array(phrase.days.months)[months], str(phrase.days))
        yield violation("weekday", ~np.array(phrase.days.weekdays)[(days + 3) % 7], str(phrase.days))
        for country in phrase.days.closed:
            yield violation("holiday", np.isin(days % CYCLE, public_holidays(country)), str(phrase.days))


def _less(left: Column, right: Column) -> Mask:
    """Return where one number, date, or duration is less than another of its family, exactly."""
    a, b = compared(left, right)
    return np.asarray(a < b, dtype=np.bool_)


def _microseconds(column: Column) -> Values:
    return exact.scaled(column.values, DAY) if column.type.name in ("date", "days") else column.values


def _beyond(given: CheckInput, high: Column) -> Mask:
    """Return where the places that were cut off make a number larger than the maximum."""
    if given.finer is None or not given.finer.any():
        return np.zeros(given.frame.size, dtype=np.bool_)
    a, b = compared(given.column, high)
    return np.asarray(given.finer & (a == b), dtype=np.bool_)


def inwards(column: Column, kind: Type) -> Values:
    """Return a lower bound in units of the values; one between two values becomes the upper one."""
    if column.type == REAL:
        return exact.from_real(np.ceil(column.values * 10.0**kind.places))
    if column.type.numeric:
        factor = 10 ** abs(kind.places - column.type.places)
        finer = kind.places >= column.type.places
        return exact.scaled(column.values, factor) if finer else exact.divided_up(column.values, factor)
    return _microseconds(column) if kind.name in ("datetime", "duration") else column.values


def _step_text(head: model.Ranged, kind: Type) -> str:
    if isinstance(head, model.Date):
        return "a day"
    name = kind if kind.name != "datetime" and kind.name != "time" else Type("duration")
    return str(Column(name, np.array(head.step)).text(1)[0].as_py())


def _sequence(head: model.Sequence, given: CheckInput) -> Iterator[Violation]:
    values, rest = in_units_of(given.column, own_type(head, given.column.type))
    past = (values - head.start) * (1 if head.step > 0 else -1)
    # What is left of 10.50 is above 10, and below 11.
    outside = (past < 0) | ((past == 0) & rest & (head.step < 0))
    yield violation("range", outside, f"{'at least' if head.step > 0 else 'at most'} {head.start}")
    off = ~outside & (rest | (past % abs(head.step) != 0))
    yield violation("step", off, f"{head.start} and steps of {head.step}")


def _series(head: model.TimeSeries, given: CheckInput) -> Iterator[Violation]:
    """A value of a series is one step from its start for each earlier row.

    If these are unknown, it must be on the grid; months differ in length, and jitter leaves the grid.
    """
    start = evaluate(head.start, given.frame).spread(given.frame.size)
    unit = DAY if given.column.type.name == "date" else 1
    begun = given.column.values * unit - _microseconds(start)
    early = begun < -head.jitter
    yield violation("range", early, lambda at: f"{_text_of(start, at)} or later")
    past = given.frame.ordinals()
    if past is not None:
        step = constant(head.step)
        so_far = Column(step.type, past * np.asarray(step.values))
        due = cast(arithmetic_of("+", start, so_far, given.frame), given.column.type).spread(given.frame.size)
        away = np.abs(given.column.values - due.values) * unit > head.jitter
        yield violation("step", ~early & away, lambda at: f"{_text_of(due, at)}, {past[at]:,} steps from the first")
    elif not head.step.months and not head.jitter:
        off = ~early & (begun % head.step.microseconds != 0)
        yield violation("step", off, "a step of the series")


def digits(found: Typed, good: Mask) -> Iterator[Violation]:
    """No number has more places than its type, or more than 18 digits, whatever its phrase states."""
    column = found.column
    if found.finer is not None:
        yield violation("step", good & found.finer, f"at most {column.type.places} decimal places")
    if column.type.name in ("integer", "decimal") and exact.largest(column.values) >= exact.FIELD:
        yield violation("range", good & (np.abs(column.values) >= exact.FIELD), "a number of at most 18 digits")


# ---- texts -----------------------------------------------------------------------------------------------------------


def unmatched(pattern: Pattern, texts: pa.Array) -> Mask:
    """Return where a text does not follow a pattern from end to end."""
    return ~follows(pattern, texts)


def _pattern(head: model.Matching, given: CheckInput) -> Iterator[Violation]:
    yield from _followed((head.pattern,), given, _pattern_text(head.pattern))[1]


def _followed(patterns: tuple[Pattern, ...], given: CheckInput, expected: str) -> tuple[Mask, list[Violation]]:
    """Return the texts that do not follow all patterns, and violations: of the length, or else of the pattern."""
    wrong = np.zeros(given.frame.size, dtype=np.bool_)
    for each in patterns:
        wrong |= unmatched(each, given.texts)
    short, long = lengths(patterns)
    size = _lengths(given.texts)
    other = wrong & ((size < short) | ((size > long) if long is not None else False))
    span = f"at least {short}" if long is None else f"{short}" if long == short else f"{short} to {long}"
    return wrong, [violation("length", other, f"{span} characters"), violation("pattern", wrong & ~other, expected)]


def _pattern_text(pattern: Pattern) -> str:
    return pattern.source if pattern.source.startswith(("like", "text")) else f"/{pattern.source}/"


def _lengths(texts: pa.Array) -> Values:
    return numbers(pc.utf8_length(texts), np.int32)


def _narrowed(narrowed: model.Restriction, given: CheckInput) -> Iterator[Violation]:
    texts = given.column.text(given.frame.size)
    different = pc.dictionary_encode(texts)
    words = different.dictionary.to_pylist()
    bad = np.array([each is not None and not fits(narrowed, each) for each in words] or [False], dtype=np.bool_)
    words_for = [f"/{narrowed.matching}/"] if narrowed.matching is not None else []
    words_for += [f'none of "{narrowed.without}"'] if narrowed.without else []
    where = bad[numbers_or(different.indices, np.int32, 0)] if len(texts) else bad[:0]
    yield violation("pattern", where, " and ".join(words_for))


def _bytes(head: model.Bytes, given: CheckInput) -> Iterator[Violation]:
    form = r"([0-9a-f]{2})*" if not head.base64 else r"([A-Za-z0-9+/]{4})*([A-Za-z0-9+/]{2}==|[A-Za-z0-9+/]{3}=)?"
    wrong = unmatched(parse(form), given.texts)
    size = _lengths(given.texts) // 2
    if head.base64:
        padding = _lengths(given.texts) - _lengths(pc.utf8_rtrim(given.texts, "="))
        size = _lengths(given.texts) // 4 * 3 - padding
    other = ~wrong & ((size < head.low) | (size > head.high))
    yield violation("length", other, f"{head.low} to {head.high} bytes")
    yield violation("pattern", wrong, "base64" if head.base64 else "hexadecimal digits in pairs")


def _name(phrase: Phrase) -> str:
    return phrase.head.name if isinstance(phrase.head, model.KindOf) else phrase.kind


def _kind(phrase: Phrase, given: CheckInput) -> Iterator[Violation]:
    """Check values against the contract of their kind."""
    contract = given.contract
    name = _name(phrase)
    if given.column.type == TEXT:
        wrong, found = _followed(contract.shapes, given, f"a value of the kind {name}")
        yield from found
        if contract.check:
            places = np.flatnonzero(~wrong)
            bad = np.zeros(given.frame.size, dtype=np.bool_)
            bad[places] = ~judged(contract, name, pc.take(given.texts, arrow(places)))
            yield violation("check digit", bad, f"{name} with its check digits: {contract.check}")
        if contract.values is not None:
            values = sorted(contract.values)
            unlisted = ~flags(pc.is_in(given.texts, value_set=strings(values)))
            yield violation("list", unlisted, f"a value of the kind {name}: {list_text(tuple(values))}")
    else:
        # A table may give the field a wider type than that of the kind.
        own = KINDS[name].type
        low, high = (None if each is None else Column(own, np.array(each)) for each in contract.ends)
        outside = np.zeros(given.frame.size, dtype=np.bool_)
        outside |= _less(given.column, low) if low is not None else False
        outside |= (_less(high, given.column) | _beyond(given, high)) if high is not None else False
        words = [each.text(1)[0].as_py() for each in (low, high) if each is not None]
        yield violation("range", outside, "..".join(words))
        found, rest = in_units_of(given.column, own)
        yield violation("step", rest & ~outside, str(own))
        if contract.values is not None:
            values = sorted(contract.values)
            texts = Column(own, found).text(given.frame.size)
            unlisted = ~rest & ~flags(pc.is_in(texts, value_set=strings(values)))
            yield violation("list", unlisted, f"a value of the kind {name}: {list_text(tuple(values))}")


# ---- lists -----------------------------------------------------------------------------------------------------------


def _listed(values: tuple[ItemValue, ...], given: CheckInput) -> Iterator[Violation]:
    unlisted = ~among(given.column, values, given.frame.size)
    yield violation("list", unlisted if given.finer is None else unlisted | given.finer, list_text(values))


def among(column: Column, values: tuple[Constant, ...], size: int) -> Mask:
    """Return where a value is one of a list."""
    if column.type == TEXT:
        return flags(pc.is_in(column.text(size), value_set=strings([str(each) for each in values])))
    places = column.type.places
    if column.type.numeric:
        listed = [int(Decimal(each).scaleb(places)) for each in values if isinstance(each, int | Decimal)]
    else:
        listed = [int(units(each)) for each in values]
    found: Mask = np.isin(np.asarray(column.values, dtype=np.int64), np.array(listed, dtype=np.int64))
    return found


def list_text(values: tuple[ItemValue, ...]) -> str:
    """Return a list as a message shows it, cut if it is long."""
    shown = dict.fromkeys(values[:SHOWN])
    words = [str(each).lower() if isinstance(each, bool) else str(each) for each in shown]
    return "one of " + " | ".join(words) + (f" | … ({len(values):,} values)" if len(values) > SHOWN else "")
