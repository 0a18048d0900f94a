"""Equivalence partitioning (ISO/IEC/IEEE 29119-4, 5.2.1): one case for each part of what a field takes and refuses."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace
from decimal import Decimal

import numpy as np

from yurt.core import model
from yurt.core.capacity import bounds, steps
from yurt.core.cases.case import Case, Const, Drawn, Gone, Lost, Moved, Raw, Same, Wish
from yurt.core.cases.own import told
from yurt.core.cases.subject import Subject
from yurt.core.cases.words import shown, type_words
from yurt.core.columns.column import units
from yurt.core.model import Field, ItemValue, Phrase, Table
from yurt.core.narrowing import left_of_list
from yurt.core.reading.raw import NOTHING, Number
from yurt.core.types import BOOLEAN, TEXT, Type

# More values of one list than this are not cases each.
MOST = 40
TECHNIQUE = "partition"
# Makes a case of a partition, a reason and changes, with the rule that is violated.
MakeCase = Callable[..., Case]


def partitions(subject: Subject) -> Iterator[Case]:
    """Yield the cases of all fields and conditions of a record type."""
    yield Case(TECHNIQUE, subject.record.name, "nominal", "a record as the schema describes it")
    for field in subject.fields:
        yield from _presence(field, subject)
        if isinstance(field.head, model.Nested):
            continue
        yield from _type(field, subject)
        for phrase, wishes, row in subject.phrases(field):
            yield from _row(field, phrase, wishes, row, subject)
        yield from _unique(field)
        if field.told:
            yield from told(field, subject)
    yield from _agreement(subject)
    yield from _always(subject)


def _presence(field: Field, subject: Subject) -> Iterator[Case]:
    """With and without a value, and with one where `only if` wants none."""
    if field.only_if is not None and not field.parent:
        condition = subject.text(field.only_if)
        yield Case(TECHNIQUE, field.name, "condition met", f"{condition}", (Wish(field.only_if, True),))
        yield Case(
            TECHNIQUE,
            field.name,
            "condition not met",
            f"not {condition}, so there is no value",
            (Wish(field.only_if, False),),
        )
        phrase = field.phrases[0]
        if not isinstance(field.head, model.Nested | model.ListOf | model.Derived) and isinstance(field.body, Phrase):
            unconditional = Drawn(field.name, replace(phrase, missing=0.0, missing_if=None))
            reason = f"a value, although it is not so that {condition}"
            yield Case(
                TECHNIQUE,
                field.name,
                "value without condition",
                reason,
                (Wish(field.only_if, False), unconditional),
                "condition",
            )
    if isinstance(field.head, model.Nested) and any(
        each.name.startswith(field.name + ".") for each in subject.record.shown if not each.hidden
    ):
        there = (Wish(field.only_if, True),) if field.only_if is not None else ()
        if not may_be_missing(field, subject) and not field.parent:
            yield Case(
                TECHNIQUE,
                field.name,
                "wrong type",
                "a text where a record belongs",
                (*there, Raw(field.name, "none", typed=True)),
                "type",
            )
        return
    there = (Wish(field.only_if, True),) if field.only_if is not None else ()
    if may_be_missing(field, subject):
        if (
            field.only_if is None
            and isinstance(field.body, Phrase)
            and not isinstance(field.head, model.Derived | model.KindOf | model.FromList)
            and not _missing_if(field)
        ):
            yield Case(TECHNIQUE, field.name, "missing", "it may be missing", (Gone(field.name),))
            if not isinstance(field.head, model.ListOf):
                yield Case(
                    TECHNIQUE,
                    field.name,
                    "absent",
                    "it may be missing, and so may its name",
                    (Gone(field.name), Raw(field.name, NOTHING, typed=True)),
                )
        return
    if isinstance(field.head, model.Derived):
        return
    wish = _must(field, subject)
    yield Case(
        TECHNIQUE, field.name, "missing", "a value must be there", (*there, *wish, Raw(field.name, None)), "presence"
    )
    yield Case(
        TECHNIQUE,
        field.name,
        "absent",
        "a value must be there, and its name is not",
        (*there, *wish, Raw(field.name, NOTHING, typed=True)),
        "presence",
    )


def _missing_if(field: Field) -> bool:
    return any(each.missing_if is not None for each in field.phrases)


def _must(field: Field, subject: Subject) -> tuple[Wish, ...]:
    """Return the wish under which a field must have a value, where only one row of its table wants one."""
    if isinstance(field.body, Phrase):
        return tuple(Wish(each.missing_if, False) for each in field.phrases if each.missing_if is not None)
    return next((wishes for phrase, wishes, _ in subject.phrases(field) if not _quiet(phrase)), ())


def _quiet(phrase: Phrase) -> bool:
    """Return whether a phrase may give no value."""
    return bool(phrase.missing) or isinstance(phrase.head, model.KindOf | model.FromList | model.Derived)


def may_be_missing(field: Field, subject: Subject) -> bool:
    """Return whether a field may have no value where its condition holds."""
    tree = isinstance(field.head, model.Reference) and field.head.record == subject.record.name
    if tree or field.optional:
        return True
    return all(
        _quiet(each)
        and not (
            each.missing_if is not None and not isinstance(each.head, model.KindOf | model.FromList | model.Derived)
        )
        for each in field.phrases
    )


def _type(field: Field, subject: Subject) -> Iterator[Case]:
    """Values of another type, in the forms that formats have."""
    kind = subject.type(field.name)
    there = (*((Wish(field.only_if, True),) if field.only_if is not None else ()),)
    right = type_words(kind)

    def case(partition: str, reason: str, value: object, typed: bool = False) -> Case:
        return Case(TECHNIQUE, field.name, partition, reason, (*there, Raw(field.name, value, typed=typed)), "type")

    if kind.name == "list":
        yield case("wrong type", f"a text where {right} belongs", "none")
        yield case("a record", f"a record where {right} belongs", {"value": "x"}, typed=True)
        return
    if kind != TEXT:
        yield case("wrong type", f"letters where {right} belongs", "abc")
        yield case("empty", f"an empty text where {right} belongs", "")
        if not kind.numeric:
            yield case("a number", f"a number where {right} belongs", Number("7"), typed=True)
        else:
            yield case("in quotes", f"a text of digits where {right} belongs", "7", typed=True)
        if kind == BOOLEAN:
            yield (
                case("other words", f"yes where {right} belongs", "yes")
                if field.shown is None
                else case("other words", "another word", "perhaps")
            )
    else:
        yield case("a number", f"a number where {right} belongs", Number("7"), typed=True)
        yield case("a truth value", f"true where {right} belongs", True, typed=True)
    yield case("a list", f"a list where {right} belongs", ["x"], typed=True)
    if kind.name in ("date", "datetime") and field.shown is None:
        tail = "T08:30:00" if kind.name == "datetime" else ""
        if isinstance(field.head, model.DateTime) and field.head.zone is not None:
            tail += "+00:00"
        for partition, day, why in (
            ("day 30 of February", "2026-02-30", "February has no day 30"),
            ("29 February of no leap year", "2025-02-29", "2025 is no leap year"),
            ("month 13", "2026-13-01", "there is no month 13"),
            ("day 0", "2026-06-00", "there is no day 0"),
            ("day first", "15.06.2026", "the year comes first"),
            ("one digit", "2026-6-5", "months and days have two digits"),
        ):
            yield case(partition, why, day + tail)
    if kind.name in ("time", "datetime") and field.shown is None:
        lead = "2026-06-15T" if kind.name == "datetime" else ""
        tail = "+00:00" if isinstance(field.head, model.DateTime) and field.head.zone is not None else ""
        for partition, clock, why in (
            ("hour 24", "24:00:00", "the last hour is 23"),
            ("minute 60", "12:60:00", "the last minute is 59"),
            ("twelve-hour clock", "8:30 PM", "the clock has 24 hours"),
        ):
            yield case(partition, why, lead + clock + tail)


def _row(field: Field, phrase: Phrase, wishes: tuple[Wish, ...], row: str, subject: Subject) -> Iterator[Case]:
    """Yield the parts of one phrase; `row` says of which row of a table it is."""
    where = f"{row}: " if row else ""
    if row:
        yield Case(TECHNIQUE, field.name, row, f"the row of the table for {row}", wishes)
    head = phrase.head
    kind = subject.type(field.name)

    def case(partition: str, reason: str, *changes: object, violates: str = "") -> Case:
        return Case(TECHNIQUE, field.name, where + partition, reason, (*wishes, *changes), violates)  # type: ignore[arg-type]

    present = Drawn(field.name, replace(phrase, missing=0.0, missing_if=None))
    match head:
        case model.Integer() | model.DecimalNumber() | model.Date() | model.Time() | model.DateTime() | model.Lasting():
            yield case("inside", "a value inside the range", present)
            yield from _range(field, phrase, kind, case, subject)
        case model.OneOf():
            left = left_of_list(head, phrase.narrowed)
            if left is not None and isinstance(field.body, Table):
                yield from _of_other_rows(field.name, field.body, phrase, left.values, case)
            if left is not None:
                yield from _listed(field, left.values, kind, case, phrase.narrowed is not None)
        case model.Boolean():
            yield case("true", "true is allowed", Const(field.name, True))
            yield case("false", "false is allowed", Const(field.name, False))
        case model.FromList():
            values = subject.schema.lists[head.name].column(head.column)
            yield case("inside", "a value of the list", present)
            if kind == TEXT:
                yield from _not_listed(field, values, case)
        case model.Reference():
            if head.record != subject.record.name:
                yield (
                    case("inside", f"the key of a row of `{head.record}`", present)
                    if not row
                    else case("inside", "a key")
                )
                yield case(
                    "dangling", f"a key that no row of `{head.record}` has", Lost(field.name), violates="reference"
                )
        case model.Derived():
            if not _drawn(phrase, subject):
                yield case("another value", "it follows from other fields", Moved(field.name), violates="value")
        case model.Sequence():
            below = head.start - head.step
            yield case(
                "before the start",
                f"{below} stands before the first number, {head.start}",
                Const(field.name, below),
                violates="range",
            )
            if abs(head.step) > 1:
                yield case("between two steps", "it stands between two numbers", Moved(field.name), violates="step")
        case model.KindOf() | model.Matching() | model.Uuid() | model.Bytes():
            yield case(
                "inside",
                "a value of its kind" if not isinstance(head, model.Matching) else "a text of the pattern",
                present,
            )
        case model.ListOf():
            yield case("inside", "a list of allowed length", present)
            if head.distinct and head.high >= 2 and not head.of_records:
                two = Drawn(field.name, replace(phrase, head=replace(head, low=max(head.low, 2)), missing=0.0))
                twice = Raw(field.name, made=_doubled)
                yield case("a value twice", "the values of a list differ", two, twice, violates="distinct")


def _drawn(phrase: Phrase, subject: Subject) -> bool:
    """Return whether a value that follows from others has a part that is drawn, or speaks of other rows."""
    from yurt.core.functions import OF_SIBLINGS
    from yurt.core.language.expressions import Call, Name, Some, walk

    for expression in model.expressions_in(phrase.head):
        for node in walk(expression):
            if isinstance(node, Some) or (isinstance(node, Call) and node.function in OF_SIBLINGS):
                return True
            if isinstance(node, Name):
                if node.name == "row":
                    return True
                other = subject.record.by_name.get(node.name)
                if (
                    other is not None
                    and other.hidden
                    and (not isinstance(other.head, model.Derived) or _drawn(other.phrases[0], subject))
                ):
                    return True
    return False


def _doubled(text: str) -> str | None:
    """Return a list of JSON with its first value again in the place of the second; None for a shorter one."""
    from yurt.core.reading.json import DECODER
    from yurt.core.reading.raw import written

    found, _ = DECODER.raw_decode(text)
    if not isinstance(found, list) or len(found) < 2:
        return None
    return written([found[0], found[0], *found[2:]])


def _range(field: Field, phrase: Phrase, kind: Type, case: MakeCase, subject: Subject) -> Iterator[Case]:
    """Well below, well above, between two steps, on another day."""
    head = phrase.head
    assert isinstance(head, model.Ranged)
    ends = bounds(head, subject.today)
    if ends is None:
        return
    low, high = ends
    step = steps(head)
    far = max((high - low) // step, 10) * step
    day = _on_days(phrase, head)
    for partition, value, why in (
        ("below", low - far, "below"),
        ("above", low + (high - low) // step * step + far, "above"),
    ):
        value = day(value, -1 if why == "below" else 1)
        if not in_time(value, head):
            continue
        yield case(
            partition,
            f"{shown(value, kind)} is {why} {shown(low, kind)}..{shown(high, kind)}",
            Const(field.name, value),
            violates="range",
        )
    if step > 1 and high > low:
        value = low + step // 2 if step > 2 else low + 1
        yield case(
            "between two steps",
            f"{shown(value, kind)} is no step of {step_words(head, kind)}",
            Const(field.name, value),
            violates="step",
        )
    elif isinstance(head, model.DecimalNumber) and field.shown is None:
        value = low + 1 if high > low else low
        text = f"{Decimal(value).scaleb(-head.places):.{head.places}f}"
        text += "5"
        if low <= value < high:
            yield case(
                "too many places",
                f"{text} has more than {head.places} places",
                Raw(field.name, Number(text)),
                violates="step",
            )
    if phrase.days is not None and (other := _other_day(phrase.days, head, low, high)) is not None:
        yield case(
            "another day",
            f"{shown(other, kind)} is on a day that is not allowed",
            Const(field.name, other),
            violates="weekday",
        )


def step_words(head: model.Ranged, kind: Type) -> str:
    """Return a step as the schema writes it."""
    return shown(steps(head), Type("duration") if kind.name in ("time", "datetime") else kind)


def in_time(value: int, head: model.Ranged) -> bool:
    """Return whether a day stands in the years 1 to 9999, a time of day in one day."""
    if isinstance(head, model.Time):
        return 0 <= value < 86_400_000_000
    unit = 86_400_000_000 if isinstance(head, model.DateTime) else 1
    if isinstance(head, model.Date | model.DateTime):
        return -719_162 <= value // unit <= 2_932_896
    return abs(value) < 10**17


def _allowed(days: model.Days, day: int) -> bool:
    month = int(np.datetime64(day, "D").astype("datetime64[M]").astype(np.int64)) % 12
    return days.weekdays[(day + 3) % 7] and days.months[month]


def _on_days(phrase: Phrase, head: model.Ranged) -> Callable[[int, int], int]:
    """Return what moves a day to one that is allowed, in a direction."""
    unit = 86_400_000_000 if isinstance(head, model.DateTime) else 1

    def moved(value: int, direction: int) -> int:
        if phrase.days is not None:
            for _ in range(400):
                if _allowed(phrase.days, value // unit):
                    break
                value += direction * unit
        return value

    return moved


def _other_day(days: model.Days, head: model.Ranged, low: int, high: int) -> int | None:
    unit = 86_400_000_000 if isinstance(head, model.DateTime) else 1
    for at in range(400):
        value = low + at * unit
        if value > high:
            return None
        if not _allowed(days, value // unit):
            return value
    return None


def _listed(field: Field, values: tuple[ItemValue, ...], kind: Type, case: MakeCase, narrowed: bool) -> Iterator[Case]:
    """Each listed value, and what is not listed."""
    for value in values[:MOST]:
        text = str(value).lower() if isinstance(value, bool) else str(value)
        held = value if isinstance(value, str | bool) else scaled(value, kind)
        yield case(text or "empty text", f"`{text}` is listed", Const(field.name, held))
    if kind == TEXT:
        if not narrowed:
            yield from _not_listed(field, values, case)
    elif kind.numeric:
        numbers = [scaled(each, kind) for each in values if not isinstance(each, str | bool)]
        other = max(numbers) + 10**kind.places
        yield case("not listed", f"{shown(other, kind)} is not listed", Const(field.name, other), violates="list")


def _of_other_rows(
    name: str, table: Table, phrase: Phrase, values: tuple[ItemValue, ...], case: MakeCase
) -> Iterator[Case]:
    """A value that another row of the table lists, and this one does not."""
    for _, other in table.rows:
        if other is not phrase and isinstance(other.head, model.OneOf):
            for value in other.head.values:
                if value not in values and isinstance(value, str):
                    reason = f"`{value}` is listed in another row of the table"
                    yield case("of another row", reason, Const(name, value), violates="list")
                    return


def scaled(value: ItemValue, kind: Type) -> int:
    if kind.numeric and isinstance(value, int | Decimal) and not isinstance(value, bool):
        return int(Decimal(value).scaleb(kind.places))
    return int(units(value))


def _not_listed(field: Field, values: tuple[ItemValue, ...], case: MakeCase) -> Iterator[Case]:
    texts = {str(each) for each in values}
    first = str(values[0])
    for partition, text, why in (
        ("not listed", _unlisted(texts), "is not listed"),
        ("wrong case", first.swapcase(), "is listed with other letters"),
        ("blank behind", first + " ", "has a blank behind it"),
        ("blank before", " " + first, "has a blank before it"),
        ("cut off", first[:-1], "is cut off"),
    ):
        if text and text not in texts:
            yield case(partition, f'"{text}" {why}', Const(field.name, text), violates="list")


def _unlisted(texts: set[str]) -> str:
    return next(
        each
        for each in ("unlisted", "none of these", *(f"unlisted {n}" for n in range(len(texts) + 1)))
        if each not in texts
    )


def _unique(field: Field) -> Iterator[Case]:
    """The value of the first record again."""
    if field.unique or isinstance(field.head, model.Sequence | model.Uuid):
        yield Case(
            TECHNIQUE,
            field.name,
            "duplicate",
            "the first record of the file has this value",
            (Same(field.name),),
            "unique",
        )


def _agreement(subject: Subject) -> Iterator[Case]:
    """Values of two different rows of one value list."""
    for name, listed in subject.schema.lists.items():
        fields = [
            each for each in subject.fields
            if isinstance(each.head, model.FromList) and each.head.name == name and each.only_if is None
            and all(phrase.narrowed is None for phrase in each.phrases)
        ]  # fmt: skip
        if len(fields) < 2:
            continue
        heads = [each.head for each in fields]
        rows = list(
            zip(*(listed.column(each.column) for each in heads if isinstance(each, model.FromList)), strict=True)
        )
        pair = next(((a, b) for a in rows for b in rows if (*a[:-1], b[-1]) not in rows), None)
        if pair is None:
            continue
        mixed = (*pair[0][:-1], pair[1][-1])
        changes = tuple(
            Const(each.name, value if isinstance(value, str | bool) else scaled(value, subject.type(each.name)))
            for each, value in zip(fields, mixed, strict=True)
        )
        titles = ", ".join(each.name for each in fields)
        yield Case(
            TECHNIQUE,
            titles,
            "of two rows",
            f"no row of `{name}` has {', '.join(map(str, mixed))}",
            changes,
            "agreement",
        )


def _always(subject: Subject) -> Iterator[Case]:
    """Each condition met, and broken."""
    for condition in subject.conditions:
        text = subject.text(condition)
        yield Case(TECHNIQUE, text, "met", f"{text} holds", (Wish(condition, True),))
        yield Case(TECHNIQUE, text, "broken", f"{text} does not hold", (Wish(condition, False),), "always")
