"""Boundary value analysis (ISO/IEC/IEEE 29119-4, 5.2.3): values on both sides of every end of a range.

Two-value analysis takes the end and its neighbour outside; three-value analysis also takes the neighbour inside.
"""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date, datetime, timedelta
from zoneinfo import ZoneInfo

from yurt.core import model
from yurt.core.base.data_classes import replace
from yurt.core.base.types import TEXT, Type
from yurt.core.cases.case import Beside, Case, Change, Const, Drawn, Edge, Raw, Requirement, because
from yurt.core.cases.edges import edges
from yurt.core.cases.ranges import in_time
from yurt.core.cases.rules import rule_of, shapes_of
from yurt.core.cases.subject import Subject
from yurt.core.cases.technique import Technique
from yurt.core.cases.words import shown
from yurt.core.columns.column import units
from yurt.core.kinds.contract import lengths
from yurt.core.model import Field, Phrase
from yurt.core.patterns.mutate import of_length
from yurt.core.planning.bounds import bounds, steps

NAME = "boundary"
EPOCH = datetime(1970, 1, 1)
# Dates that often reveal defects, and why.
DAYS = (
    ("1900-02-28", "1900 was not a leap year"), ("1900-03-01", "1900 was not a leap year"),
    ("1969-12-31", "the day before the Unix epoch"), ("1970-01-01", "the day of the Unix epoch"),
    ("1999-12-31", "the last day of the years 1900 to 1999"),
    ("2000-02-29", "2000 was a leap year, as every 400 years"),
    ("2024-02-29", "a leap day"), ("2028-02-29", "a leap day"), ("2038-01-19", "the last day of 32-bit seconds"),
    ("2038-01-20", "the day after the last one of 32-bit seconds"), ("2100-03-01", "2100 will not be a leap year"),
    ("9999-12-31", "the last day with four digits"),
)  # fmt: skip
# The maximum number of children of one parent that are cases each.
MOST_CHILDREN = 30
# The maximum number of clock changes that are cases each.
MOST_CHANGES = 4


def boundaries(subject: Subject) -> Iterator[Case]:
    """Yield the cases at the ends of all ranges, lengths and counts."""
    yield from _children(subject)
    for field in subject.fields:
        for phrase, requirements, row in subject.phrases(field):
            match phrase.head:
                case (
                    model.Integer()
                    | model.DecimalNumber()
                    | model.Date()
                    | model.Time()
                    | model.DateTime()
                    | model.DurationRange()
                ):
                    yield from _range(field, phrase, requirements, row, subject)
                case model.ListOf():
                    low, high = phrase.head.low, phrase.head.high
                    yield from _lengths(field, phrase, low, high, requirements, row, subject, "values")
                case model.Matching() | model.KindOf():
                    yield from _characters(field, phrase, requirements, row, subject)
                case model.Bytes():
                    yield from _lengths(
                        field, phrase, phrase.head.low, phrase.head.high, requirements, row, subject, "bytes"
                    )
    yield from edges(subject)


def _children(subject: Subject) -> Iterator[Case]:
    """The maximum number of children of one parent, and one more."""
    count, parent = subject.record.count, subject.record.parent_field
    if parent is None or parent.helper or count.high > MOST_CHILDREN or not count.high:
        return
    for place in range(count.high + 1):
        beyond = place == count.high
        partition = "one child too many" if beyond else f"child {place + 1} of {count.high}"
        reason = because(
            "a `{per}` has {low} to {high} rows, and this is number {number}",
            per=count.per,
            low=count.low,
            high=count.high,
            number=place + 1,
        )
        change = Beside(parent.name, "most", place)
        yield Case(NAME, parent.name, partition, reason, (change,), "count" if beyond else "")


def _range(
    field: Field, phrase: Phrase, requirements: tuple[Requirement, ...], row: str, subject: Subject
) -> Iterator[Case]:
    head = phrase.head
    assert isinstance(head, model.Ranged)
    kind = subject.type(field.name)
    ends = bounds(head, subject.today)
    for upper in (False, True):
        if head.range.open_high if upper else head.range.open_low:
            continue
        name = "high" if upper else "low"
        end = _end_words(head, upper, subject)
        for inside in (-1, 0, 1)[: subject.values]:
            if ends is not None:
                low, high = ends
                step = steps(head)
                size = (high - low) // step
                if inside > size or (inside == 0 and upper and size == 0):
                    continue
                value = low + size * step - inside * step if upper else low + inside * step
                if not in_time(value, head):
                    continue
                if inside == 1 and phrase.days is None:
                    told = because("{value} is one step inside {end}", value=shown(value, kind), end=end)
                elif phrase.days is not None:
                    told = because("an allowed day {side} {end}", side=_side(inside), end=end)
                else:
                    side = "equal to" if inside == 0 else "one step outside"
                    told = because("{value} is {side} {end}", value=shown(value, kind), side=side, end=end)
            else:
                told = because("it is {side} {end} of this record", side=_side(inside), end=end)
            if phrase.days is not None and inside == 1:
                continue
            item = f"{name}{'' if inside == 0 else ' outside' if inside < 0 else ' inside'}"
            change = Edge(field.name, upper, inside, phrase)
            yield Case(NAME, field.name, item, told, (*requirements, change), "range" if inside < 0 else "", row=row)
    if ends is not None:
        yield from _beside(field, ends, kind, head, requirements, row)
        yield from _special_days(field, phrase, ends, requirements, row, kind)
        if (
            isinstance(head, model.DateTime)
            and head.zone is not None
            and head.zone != "utc"
            and head.zone[0] not in "+-"
        ):
            yield from _clock_changes(field, phrase, head, ends, requirements, row, kind)


def _beside(
    field: Field, ends: tuple[int, int], kind: Type, head: model.Ranged, requirements: tuple[Requirement, ...], row: str
) -> Iterator[Case]:  # fmt: skip
    """One unit outside a range with larger steps: 101 and -1 for `0..100 step 5`."""
    if isinstance(head, model.Integer | model.DecimalNumber) and steps(head) > 1:
        for item, value, end in (("just below", ends[0] - 1, ends[0]), ("just above", ends[1] + 1, ends[1])):
            if head.range.open_low if item == "just below" else head.range.open_high:
                continue
            reason = because("{value} is {item} {end}", value=shown(value, kind), item=item, end=shown(end, kind))
            yield Case(NAME, field.name, item, reason, (*requirements, Const(field.name, value)), "range", row=row)


def _side(inside: int) -> str:
    return {-1: "one step outside", 0: "equal to", 1: "one step inside"}[inside]


def _end_words(head: model.Ranged, upper: bool, subject: Subject) -> str:
    """Return an end of a range as the schema writes it."""
    expression = head.range.high if upper else head.range.low
    text = subject.text(expression)
    name = "maximum" if upper else "minimum"
    return f"the {name}, {text}" if text else f"the {name}"


def _special_days(
    field: Field, phrase: Phrase, ends: tuple[int, int], requirements: tuple[Requirement, ...], row: str, kind: Type
) -> Iterator[Case]:
    """Dates inside the range that often reveal defects: leap days, ends of months and years, ends of time."""
    head = phrase.head
    if not isinstance(head, model.Date | model.DateTime) or phrase.days is not None:
        return
    unit = 86_400_000_000 if isinstance(head, model.DateTime) else 1
    low, high = ends[0] // unit, ends[1] // unit
    found = [(units(date.fromisoformat(text)), why) for text, why in DAYS]
    first = date(1970, 1, 1) + timedelta(days=int(low))
    # The first end of a month and the first end of a year in the range.
    month = (first.replace(day=28) + timedelta(days=4)).replace(day=1) - timedelta(days=1)
    found += [(units(month), "the last day of a month"), (units(date(first.year, 12, 31)), "the last day of a year")]
    seen = set()
    for day, why in found:
        clock = ends[0] % unit if unit > 1 else 0
        value = day * unit + clock
        if low < day < high and day not in seen and (value - ends[0]) % steps(head) == 0:
            seen.add(day)
            text = shown(value, kind)
            yield Case(
                NAME,
                field.name,
                text[:10],
                because("{day}: {why}", day=text[:10], why=why),
                (*requirements, Const(field.name, value)),
            )


def _clock_changes(
    field: Field,
    phrase: Phrase,
    head: model.DateTime,
    ends: tuple[int, int],
    requirements: tuple[Requirement, ...],
    row: str,
    kind: Type,
) -> Iterator[Case]:
    """Times around the changes of the clock of the zone."""
    assert head.zone is not None
    for at, (shift, end) in enumerate(_changes(head.zone, ends)):
        if at >= MOST_CHANGES:
            return
        start = end - abs(shift)
        times = [(start - head.step, "before", "the last step before the clock changes")]
        times += [(end, "after", "the clock has just changed")]
        for value, item, why in times:
            if not ends[0] <= value <= ends[1] or (value - ends[0]) % head.step or phrase.days is not None:
                continue
            text = shown(value, kind)
            reason = because("{text} in {zone}: {why}", text=text, zone=head.zone, why=why)
            name = f"clock {text[:10]} {item}"
            yield Case(NAME, field.name, name, reason, (*requirements, Const(field.name, value)), row=row)
        inside = ends[0] <= start <= ends[1] and not (start - ends[0]) % head.step and phrase.days is None
        if shift < 0 and inside and field.shown is None:
            yield from _twice(field, head.zone, start, requirements, row)


def _twice(field: Field, zone: str, start: int, requirements: tuple[Requirement, ...], row: str) -> Iterator[Case]:
    """A time that the clock shows twice, with each of its offsets: two instants."""
    local = EPOCH + timedelta(microseconds=start)
    for fold, item in enumerate(("first time", "second time")):
        text = local.replace(tzinfo=ZoneInfo(zone), fold=fold).isoformat()
        reason = because("{text}: the clock of {zone} shows it twice", text=text, zone=zone)
        changes: tuple[Change, ...] = (*requirements, Const(field.name, start), Raw(field.name, text))
        yield Case(NAME, field.name, f"clock {text[:10]} {item}", reason, changes, row=row)


def _changes(zone: str, ends: tuple[int, int]) -> Iterator[tuple[int, int]]:
    """Yield each change of the clock within a range, and the end of the skipped or repeated time."""
    info = ZoneInfo(zone)
    day = EPOCH + timedelta(microseconds=max(ends[0], -(2**55)))
    last = EPOCH + timedelta(microseconds=min(ends[1], 2**55))
    while day < last:
        later = day + timedelta(days=1)
        before, after = day.replace(tzinfo=info).utcoffset(), later.replace(tzinfo=info).utcoffset()
        if before is not None and after is not None and before != after:
            low, high = day, later
            while high - low > timedelta(seconds=1):
                middle = (low + (high - low) / 2).replace(microsecond=0)
                if middle in (low, high):
                    break
                low, high = (middle, high) if middle.replace(tzinfo=info).utcoffset() == before else (low, middle)
            yield (after - before) // timedelta(microseconds=1), (high - EPOCH) // timedelta(microseconds=1)
        day = later


def _characters(
    field: Field, phrase: Phrase, requirements: tuple[Requirement, ...], row: str, subject: Subject
) -> Iterator[Case]:
    """Texts of the minimum and maximum length, and with one character fewer or more."""
    shapes = shapes_of(phrase, subject.contracts)
    low, high = lengths(shapes)
    if phrase.narrowed is not None or high is None or low == high or not shapes or subject.type(field.name) != TEXT:
        return
    span = f"{low} to {high} are allowed"
    rule = rule_of(phrase, subject.contracts)
    # Kinds are drawn in their safe range, so only the pattern of the phrase has valid examples.
    own = phrase.head.pattern if isinstance(phrase.head, model.Matching) and not phrase.kind else None
    for size, name in (
        (low, "shortest"),
        (low + 1, "shortest inside"),
        (high - 1, "longest inside"),
        (high, "longest"),
    ):
        text = of_length(own, size) if own is not None else None
        if text is not None and not rule(text) and (subject.values == 3 or not name.endswith("inside")):
            reason = because("{size} characters, where {span}", size=size, span=span)
            yield Case(NAME, field.name, name, reason, (*requirements, Const(field.name, text)), row=row)
    short, long = of_length(shapes[0], low), of_length(shapes[0], high)
    for bad, size, name in (
        (short[:-1] if short else None, low - 1, "too short"),
        (long + long[-1] if long else None, high + 1, "too long"),
    ):
        if bad is not None and rule(bad) == "length":
            reason = because("{size} characters, where {span}", size=size, span=span)
            yield Case(NAME, field.name, name, reason, (*requirements, Const(field.name, bad)), "length", row=row)


def _lengths(
    field: Field,
    phrase: Phrase,
    low: int,
    high: int,
    requirements: tuple[Requirement, ...],
    row: str,
    subject: Subject,
    of: str,
) -> Iterator[Case]:
    """Lists and bytes of the minimum and maximum length, and with one value fewer or more."""
    head = phrase.head
    assert isinstance(head, model.ListOf | model.Bytes)
    unlimited = isinstance(head, model.ListOf) and head.unlimited
    sizes: dict[int, str] = {}
    for size, name in ((low, "shortest"), (high, "longest"), (low - 1, "too short"), (high + 1, "too long")):
        sizes.setdefault(size, name)
    if subject.values == 3:
        sizes.setdefault(low + 1, "shortest inside")
        sizes.setdefault(high - 1, "longest inside")
    for size, name in sizes.items():
        wrong = not low <= size <= high
        if size < 0 or (name.endswith("inside") and wrong) or (unlimited and size >= high - 1 > low):
            continue
        inside = replace(head, low=size, high=size)
        if wrong and isinstance(inside, model.ListOf):
            # There may be too few different values for a list that is too long.
            inside = replace(inside, distinct=False)
        other = Drawn(field.name, replace(phrase, head=inside, missing=0.0, missing_if=None))
        reason = because("{size} {of}, where {low} to {high} are allowed", size=size, of=of, low=low, high=high)
        if unlimited:
            reason = because("{size} {of}, where at least {low} are allowed", size=size, of=of, low=low)
        yield Case(NAME, field.name, name, reason, (*requirements, other), "length" if wrong else "", row=row)


TECHNIQUE = Technique(2, boundaries)
