"""Equivalence partitioning (ISO/IEC/IEEE 29119-4, 5.2.1): one case for each valid and invalid partition."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from datetime import datetime, timedelta, timezone
from functools import partial

from yurt.core import model
from yurt.core.base.data_classes import replace
from yurt.core.base.types import TEXT
from yurt.core.cases.case import Case, Change, Const, Drawn, Gone, Lost, Moved, Raw, Reason, Requirement, Same, because
from yurt.core.cases.distinct_references import distinct_references
from yurt.core.cases.elements import elements
from yurt.core.cases.listed import MakeCase, listed_values, not_listed, of_kind, of_other_rows, scaled
from yurt.core.cases.nested import nested
from yurt.core.cases.own import told
from yurt.core.cases.ranges import around_range
from yurt.core.cases.subject import Subject
from yurt.core.cases.technique import Technique
from yurt.core.cases.wrong_types import wrong_types
from yurt.core.formats.common.raw import NOTHING, written
from yurt.core.formats.json.reading import DECODER
from yurt.core.model import Field, Phrase, Table
from yurt.core.model.expressions import Call, Draw, Name, NullTest, walk
from yurt.core.model.functions import OF_SIBLINGS
from yurt.core.model.restriction import left_of_list

NAME = "partition"


def partitions(subject: Subject) -> Iterator[Case]:
    """Yield the cases of all fields and conditions of a record type."""
    yield Case(NAME, subject.record.name, "nominal", because("a record that follows the schema"))
    for field in subject.fields:
        yield from _presence(field, subject)
        if isinstance(field.head, model.Nested):
            continue
        yield from wrong_types(field, subject)
        for phrase, requirements, row in subject.phrases(field):
            yield from _row(field, phrase, requirements, row, subject)
        yield from _unique(field, subject)
        if field.told:
            yield from told(field, subject)
    yield from _unique_together(subject)
    yield from distinct_references(subject)
    yield from _agreement(subject)
    yield from _always(subject)


def _presence(field: Field, subject: Subject) -> Iterator[Case]:
    """With and without a value, and with a value where `present if` forbids one."""
    if field.present_if is not None and not field.parent:
        condition = subject.text(field.present_if)
        yield Case(
            NAME,
            field.name,
            "condition met",
            because("{condition}", condition=condition),
            (Requirement(field.present_if, True),),
        )
        yield Case(
            NAME,
            field.name,
            "condition not met",
            because("not {condition}, so there is no value", condition=condition),
            (Requirement(field.present_if, False),),
        )
        phrase = field.phrases[0]
        if not isinstance(field.head, model.Nested | model.ListOf | model.Derived) and isinstance(field.body, Phrase):
            unconditional = Drawn(field.name, replace(phrase, missing=0.0, missing_if=None))
            reason = because("a value, although this is not true: {condition}", condition=condition)
            yield Case(
                NAME,
                field.name,
                "value without condition",
                reason,
                (Requirement(field.present_if, False), unconditional),
                "condition",
            )
    if isinstance(field.head, model.Nested):
        yield from nested(field, subject)
        return
    there = (Requirement(field.present_if, True),) if field.present_if is not None else ()
    if may_be_missing(field, subject):
        if (
            field.present_if is None
            and isinstance(field.body, Phrase)
            and not isinstance(field.head, model.Derived)
            and not _missing_if(field)
        ):
            gone = (Requirement(_null(field), True),) if _has_empty_cells(field, subject) else (Gone(field.name),)
            yield Case(NAME, field.name, "missing", because("it may be missing"), gone)
            if not isinstance(field.head, model.ListOf):
                yield Case(
                    NAME,
                    field.name,
                    "absent",
                    because("it may be missing, and so may its name"),
                    (*gone, Raw(field.name, NOTHING, typed=True)),
                )
        return
    if isinstance(field.head, model.Derived):
        return
    requirement = _must(field, subject)
    yield Case(
        NAME,
        field.name,
        "missing",
        because("a value is required"),
        (*there, *requirement, Raw(field.name, None)),
        "presence",
    )
    yield Case(
        NAME,
        field.name,
        "absent",
        because("a value is required, and its name is absent"),
        (*there, *requirement, Raw(field.name, NOTHING, typed=True)),
        "presence",
    )


def _has_empty_cells(field: Field, subject: Subject) -> bool:
    """Return whether a field is missing in some rows of its value list, together with the other columns of that row."""
    head = field.head
    return isinstance(head, model.FromList) and bool(subject.schema.lists[head.name].gaps(head.column))


def _null(field: Field) -> NullTest:
    return NullTest(Name(field.name, field.span), field.span)


def _missing_if(field: Field) -> bool:
    return any(each.missing_if is not None for each in field.phrases)


def _must(field: Field, subject: Subject) -> tuple[Requirement, ...]:
    """Return the requirement for a field to have a value, if only one row of its table gives one."""
    if isinstance(field.body, Phrase):
        return tuple(Requirement(each.missing_if, False) for each in field.phrases if each.missing_if is not None)
    return next((requirements for phrase, requirements, _ in subject.phrases(field) if not _quiet(phrase)), ())


def _quiet(phrase: Phrase) -> bool:
    """Return whether a phrase may give no value."""
    return bool(phrase.missing) or isinstance(phrase.head, model.Derived)


def may_be_missing(field: Field, subject: Subject) -> bool:
    """Return whether a field may have no value where its condition holds."""
    tree = isinstance(field.head, model.Reference) and field.head.record == subject.record.name
    if tree or field.optional:
        return True
    return all(
        _quiet(each) and not (each.missing_if is not None and not isinstance(each.head, model.Derived))
        for each in field.phrases
    )


def _row(
    field: Field, phrase: Phrase, requirements: tuple[Requirement, ...], row: str, subject: Subject
) -> Iterator[Case]:
    """Yield the partitions of one phrase; `row` names the table row it belongs to."""
    if row:
        yield Case(NAME, field.name, row, because("the row of the table for {row}", row=row), requirements)
    head = phrase.head
    kind = subject.type(field.name)

    def case(item: str, reason: Reason, *changes: Change, violates: str = "", listed: bool = False) -> Case:
        return Case(NAME, field.name, item, reason, (*requirements, *changes), violates, row=row, listed=listed)

    present = Drawn(field.name, replace(subject.as_usual(field, phrase), missing=0.0, missing_if=None))
    match head:
        case (
            model.Integer()
            | model.DecimalNumber()
            | model.Date()
            | model.Time()
            | model.DateTime()
            | model.DurationRange()
        ):
            yield case("inside", because("a value inside the range"), present)
            if isinstance(head, model.DateTime) and head.zone is not None and field.shown is None:
                yield from _offsets(field, case, present)
            yield from around_range(field, phrase, kind, case, subject)
        case model.OneOf():
            left = left_of_list(head, phrase.narrowed)
            if left is not None and isinstance(field.body, Table):
                yield from of_other_rows(field.name, field.body, phrase, left.values, case)
            if left is not None and subject.contracts.of(phrase).open:
                yield case("inside", because("a value of its kind"), present)
            elif left is not None:
                yield from listed_values(field, left.values, kind, case, phrase.narrowed is not None)
        case model.Boolean():
            yield case("true", because("true is allowed"), Const(field.name, True))
            yield case("false", because("false is allowed"), Const(field.name, False))
        case model.FromList():
            values = subject.schema.lists[head.name].column(head.column)
            there = Requirement(_null(field), False) if _has_empty_cells(field, subject) else present
            yield case("inside", because("a value of the list"), there)
            if kind == TEXT:
                yield from not_listed(field, values, case)
        case model.Reference():
            if head.record != subject.record.name:
                yield (
                    case("inside", because("the key of a row of `{record}`", record=head.record), present)
                    if not row
                    else case("inside", because("a key"))
                )
                yield case(
                    "dangling",
                    because("a key that does not exist in `{record}`", record=head.record),
                    Lost(field.name),
                    violates="reference",
                )
                if kind == TEXT:
                    for item, made, back, why in (
                        ("wrong case", str.swapcase, str.swapcase, "the key of a row in other case"),
                        ("space after", lambda text: text + " ", str.rstrip, "the key of a row with a space after it"),
                        (
                            "space before",
                            lambda text: " " + text,
                            str.lstrip,
                            "the key of a row with a space before it",
                        ),
                    ):
                        changed = Raw(field.name, made=partial(_other, made), back=back)
                        yield case(item, because("{why}", why=why), present, changed, violates="reference")
        case model.Derived():
            if not _drawn(phrase, subject):
                # Only a value that is there can be another one.
                there = Requirement(_null(field), False)
                yield case(
                    "another value", because("it follows from other fields"), there, Moved(field.name), violates="value"
                )
        case model.Sequence():
            below = head.start - head.step
            yield case(
                "before the start",
                because("{below} comes before the first number, {start}", below=below, start=head.start),
                Const(field.name, below),
                violates="range",
            )
            if abs(head.step) > 1:
                yield case(
                    "between two steps", because("it is between two numbers"), Moved(field.name), violates="step"
                )
        case model.KindOf() | model.Matching() | model.Uuid() | model.Bytes():
            yield from of_kind(field, phrase, kind, case, subject)
            yield case(
                "inside",
                because("a text of the pattern" if isinstance(head, model.Matching) else "a value of its kind"),
                present,
            )
        case model.ListOf():
            yield case("inside", because("a list of allowed length"), present)
            yield from elements(field, phrase, requirements, row, subject)
            if head.distinct and head.high >= 2 and not head.of_records:
                two = Drawn(field.name, replace(phrase, head=replace(head, low=max(head.low, 2)), missing=0.0))
                twice = Raw(field.name, made=_doubled)
                yield case("a value twice", because("the values of a list differ"), two, twice, violates="distinct")


def _offsets(field: Field, case: MakeCase, present: Change) -> Iterator[Case]:
    """The same instant with another offset is the same value; without an offset it is invalid."""
    for item, hours, why in (("in UTC", 0.0, "the same instant, in UTC"), ("another offset", 5.5, "the same instant")):
        yield case(item, because("{why}", why=why), present, Raw(field.name, made=partial(_moved, hours)))
    bare = Raw(field.name, made=lambda text: datetime.fromisoformat(text).replace(tzinfo=None).isoformat())
    yield case("no offset", because("it is ambiguous"), present, bare, violates="type")


def _moved(hours: float, text: str) -> str:
    """Return a date-time with another offset; UTC is written Z."""
    found = datetime.fromisoformat(text).astimezone(timezone(timedelta(hours=hours))).isoformat()
    return found.replace("+00:00", "Z")


def _drawn(phrase: Phrase, subject: Subject) -> bool:
    """Return whether a derived value has a part that is drawn or that depends on other rows."""
    for expression in model.expressions_in(phrase.head):
        for node in walk(expression):
            if isinstance(node, Draw) or (isinstance(node, Call) and node.function in OF_SIBLINGS):
                return True
            if isinstance(node, Name):
                if node.name == "row":
                    return True
                other = subject.record.by_name.get(node.name)
                if (
                    other is not None
                    and other.helper
                    and (not isinstance(other.head, model.Derived) or _drawn(other.phrases[0], subject))
                ):
                    return True
    return False


def _other(made: Callable[[str], str], text: str) -> str | None:
    """Return a changed text; None if nothing changes."""
    found = made(text)
    return found if found != text else None


def _doubled(text: str) -> str | None:
    """Return a JSON list with its first value repeated in place of the second; None for a shorter list."""
    found, _ = DECODER.raw_decode(text)
    if not isinstance(found, list) or len(found) < 2:
        return None
    return written([found[0], found[0], *found[2:]])


def _unique_together(subject: Subject) -> Iterator[Case]:
    """The values of the first record again, in all fields that are unique together."""
    for group in subject.record.unique:
        fields = [subject.record.by_name[name] for name in group]
        if not any(each.helper or each.parent or each.present_if is not None for each in fields):
            reason = because("the first record of the file has these values")
            yield Case(NAME, ", ".join(group), "duplicate", reason, tuple(Same(name) for name in group), "unique")


def _unique(field: Field, subject: Subject) -> Iterator[Case]:
    """The value of the first record again."""
    if field.name == subject.record.key_name or field.never_repeats:
        yield Case(
            NAME,
            field.name,
            "duplicate",
            because("the first record of the file has this value"),
            (Same(field.name),),
            "unique",
        )


def _agreement(subject: Subject) -> Iterator[Case]:
    """Values from two different rows of one value list."""
    for name, listed in subject.schema.lists.items():
        fields = [
            each for each in subject.fields
            if isinstance(each.head, model.FromList) and each.head.name == name and each.present_if is None
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
            NAME,
            titles,
            "of two rows",
            because("no row of `{name}` has {values}", name=name, values=", ".join(map(str, mixed))),
            changes,
            "agreement",
        )


def _always(subject: Subject) -> Iterator[Case]:
    """Each condition met, and broken."""
    for condition in subject.conditions:
        text = subject.text(condition)
        yield Case(NAME, text, "met", because("{text} holds", text=text), (Requirement(condition, True),))
        yield Case(
            NAME, text, "broken", because("{text} does not hold", text=text), (Requirement(condition, False),), "always"
        )


TECHNIQUE = Technique(1, partitions)
