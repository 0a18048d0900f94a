"""What a schema allows, as plain facts: a type, a range, a list, patterns; and, in words, what no such fact says.

Facts never allow less than the schema does. Where a rule cannot be stated without the values of a row, the facts allow
more, and the rule is told as `Unsaid`.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from datetime import date, timedelta
from decimal import Decimal

from yurt.core.base.data_classes import dataclass, field, replace
from yurt.core.base.types import TEXT, Type
from yurt.core.heads.ranged import length_text
from yurt.core.model import (
    Bytes,
    Date,
    DateTime,
    DecimalNumber,
    Derived,
    DurationRange,
    Field,
    FromList,
    Integer,
    ItemValue,
    ListOf,
    Matching,
    Nested,
    OneOf,
    Phrase,
    Ranged,
    Record,
    Reference,
    Schema,
    Sequence,
    Table,
    Time,
    TimeSeries,
    Uuid,
)  # fmt: skip
from yurt.core.model.constants import Constant, fold
from yurt.core.model.expressions import Binary, Expression, Name, Template
from yurt.core.patterns.match import matches
from yurt.core.patterns.parse import parse
from yurt.core.patterns.tree import Pattern
from yurt.core.planning.contracts import Contracts
from yurt.core.planning.restrictions import written_conditions

BASE64 = "([A-Za-z0-9+/]{4})*([A-Za-z0-9+/]{2}==|[A-Za-z0-9+/]{3}=)?"
# A list of more values is told as such, not as a rule: documents of megabytes help nobody.
MOST_VALUES = 10_000


@dataclass(frozen=True)
class Unsaid:
    """A rule that a document does not state: the record type, the field (empty for the whole record), and the rule."""

    record: str
    field: str
    rule: str

    def __str__(self) -> str:
        return f"{self.record}{'.' if self.field else ''}{self.field}: {self.rule}"


@dataclass(frozen=True)
class Allowed:
    """What one line allows. A text follows all `patterns`; a number is a multiple of `step`."""

    type: Type
    values: tuple[ItemValue, ...] | None = None
    low: Constant | None = None
    high: Constant | None = None
    step: int | Decimal | None = None
    patterns: tuple[Pattern, ...] = ()
    # Of an element of a list: whether it may be missing.
    missing: bool = False
    # Of a list: what its elements are, how many there are, and whether they differ.
    items: Allowed | None = None
    least: int = 0
    most: int = 0
    distinct: bool = False
    uuid: bool = False
    # Of a time: whether it may have parts of a second.
    fine: bool = False


@dataclass(frozen=True)
class Facts:
    """What is known of a field. It has several lines if another field decides which of them is right.

    `missing` means that it may be missing. `referred` is the record type whose keys it has. `inside` are the fields of
    a nested record, or of each record in a list.
    """

    field: Field
    type: Type
    lines: tuple[Allowed, ...]
    missing: bool
    zoned: bool = False
    referred: str = ""
    inside: tuple[Facts, ...] = ()

    @property
    def title(self) -> str:
        """The name of the field in data."""
        return self.field.title

    @property
    def listed(self) -> tuple[ItemValue, ...] | None:
        """The values of all lines; None if one is not a list."""
        if not self.lines or any(each.values is None for each in self.lines):
            return None
        return tuple(dict.fromkeys(value for each in self.lines for value in each.values or ()))

    @property
    def low(self) -> Constant | None:
        """The lowest value of all lines; None if one has none."""
        return _end([each.low for each in self.lines], min)

    @property
    def high(self) -> Constant | None:
        """The highest value of all lines; None if one has none."""
        return _end([each.high for each in self.lines], max)


def _end(ends: list[Constant | None], chosen: object) -> Constant | None:
    found = [each for each in ends if each is not None]
    if not found or len(found) < len(ends):
        return None
    return chosen(found)  # type: ignore[operator, no-any-return]


@dataclass
class FactsOf:
    """Collects the facts of a record type, and the rules that no fact states."""

    schema: Schema
    record: Record
    unsaid: list[Unsaid] = field(default_factory=list)

    def __post_init__(self) -> None:
        self.today = self.schema.today or date.today()
        self.contracts = Contracts(self.schema, self.record, self.today)

    def all(self) -> tuple[Facts, ...]:
        """Return the facts of all fields, in their order."""
        found = tuple(self._inside(""))
        for condition in written_conditions(self.record):
            self._tell("", f"always {self._text(condition)}")
        kinds = [name for name, heads in self.record.kinds.items() if len(heads) > 1]
        if kinds:
            self._tell("", "that fields about one person or place agree")
        lists = [each.head.name for each in self.record.shown if isinstance(each.head, FromList)]
        if len(lists) > len(set(lists)):
            self._tell("", "that fields of one value list have values of one row")
        return found

    def _tell(self, name: str, rule: str) -> None:
        if (told := Unsaid(self.record.name, name, rule)) not in self.unsaid:
            self.unsaid.append(told)

    def _text(self, expression: Expression) -> str:
        source = self.schema.source
        return " ".join(source.text[expression.span.start : expression.span.end].split())

    def _inside(self, parent: str) -> Iterator[Facts]:
        for each in self.record.shown:
            if each.parent == parent:
                yield self._field(each)

    def _field(self, own: Field) -> Facts:
        kind = self.schema.plan.types[self.record.name, own.name]
        lines = tuple(self._line(own, phrase, kind) for phrase in own.phrases)
        if len(lines) > 1:
            self._tell(own.name, "which line of its table is right, as other fields decide")
        for told in own.told:
            if not told.accept:
                self._tell(own.name, f"that {told.text} is rejected")
        missing = self._missing(own)
        if own.present_if is not None:
            self._tell(own.name, f"that it is there only if {self._text(own.present_if)}")
        head = own.head
        referred = head.record if isinstance(head, Reference) else ""
        zoned = any(getattr(each.head, "zone", None) for each in own.phrases)
        of_records = isinstance(head, Nested) or (isinstance(head, ListOf) and head.of_records)
        inside = tuple(self._inside(own.name)) if of_records else ()
        return Facts(own, kind, lines, missing, zoned, referred, inside)

    def _missing(self, own: Field) -> bool:
        """Return whether a value may be missing, for any reason."""
        heads = [each.head for each in own.phrases]
        if own.optional or own.present_if is not None or any(each.missing for each in own.phrases):
            return True
        if isinstance(own.body, Table) and all(condition is not None for condition, _ in own.body.rows):
            self._tell(own.name, "that it is there if a line of its table applies")
            return True
        for head in heads:
            if isinstance(head, Derived) and not isinstance(head.expression, Template):
                return True
            if isinstance(head, Reference) and head.record == self.record.name:
                return True
            if isinstance(head, FromList) and self.schema.lists[head.name].gaps(head.column):
                return True
            # An end that is null leaves no range, and so no value.
            ends = (head.range.low, head.range.high) if isinstance(head, Ranged) else ()
            if not all(self._never_null(each, own.name) for each in ends):
                self._tell(own.name, "that it is there unless an end of its range is missing")
                return True
        return False

    def _never_null(self, expression: Expression, inside: str) -> bool:
        """Return whether an end of the range of a field has a value in every row, as far as is easily seen."""
        if fold(expression, self.today) is not None:
            return True
        if isinstance(expression, Binary) and expression.operator in "+-*":
            return all(self._never_null(each, inside) for each in (expression.left, expression.right))
        if not isinstance(expression, Name) or expression.name not in self.record.by_name or expression.name == inside:
            return False
        told = len(self.unsaid)
        surely = not self._missing(self.record.by_name[expression.name])
        del self.unsaid[told:]
        return surely and "." not in expression.name

    def _line(self, own: Field, phrase: Phrase, kind: Type) -> Allowed:
        """Return what a line allows."""
        found = self._of_head(own, phrase, kind)
        contract = self.contracts.of(phrase)
        if contract.states and not isinstance(phrase.head, ListOf):
            values = None
            if contract.values is not None and len(contract.values) <= MOST_VALUES:
                values = tuple(sorted(contract.values))
            elif contract.values is not None:
                self._tell(own.name, f"the list of {len(contract.values):,} values")
            found = replace(found, patterns=contract.shapes, values=values) if kind == TEXT else found
            if kind.name in ("integer", "decimal"):
                low, high = (_number(each, kind) for each in contract.ends)
                found = replace(found, low=low, high=high)
            elif kind != TEXT and (contract.low is not None or contract.high is not None):
                self._tell(own.name, "the range of its kind")
        if contract.open and kind != TEXT:
            found = replace(found, values=None)
        if contract.check:
            self._tell(own.name, f"its check digits: {contract.check}")
        if contract.rest:
            self._tell(own.name, contract.rest)
        if phrase.days is not None:
            self._tell(own.name, f"its days: {phrase.days}")
        if phrase.narrowed is not None and not isinstance(phrase.head, ListOf):
            found = replace(found, patterns=(*found.patterns, *_narrower(phrase)))
        if found.values is not None and found.patterns:
            # Not every document has a list and a pattern for one value.
            kept = (each for each in found.values if all(matches(own, str(each)) for own in found.patterns))
            found = replace(found, values=tuple(kept))
        return found

    def _of_head(self, own: Field, phrase: Phrase, kind: Type) -> Allowed:
        head = phrase.head
        match head:
            case Integer() | DecimalNumber() | Date() | Time() | DateTime() | DurationRange():
                return self._range(own, head, kind)
            case OneOf():
                return Allowed(kind, values=head.values)
            case FromList():
                values = self.schema.lists[head.name].column(head.column)
                return Allowed(kind, values=tuple(dict.fromkeys(values)))
            case Matching():
                return Allowed(kind, patterns=(head.pattern,))
            case Sequence():
                self._tell(own.name, "that its values follow one another")
                return Allowed(kind, low=head.start) if head.step > 0 else Allowed(kind, high=head.start)
            case Bytes():
                return self._bytes(own, head, kind)
            case Uuid():
                return Allowed(kind, patterns=(parse(uuid_pattern(head.version)),), uuid=True)
            case TimeSeries():
                self._tell(own.name, "that its values follow one another")
            case Derived():
                self._tell(own.name, f"its value: {self._text(head.expression)}")
            case ListOf():
                return self._list(own, head, kind)
            case Reference():
                target = self.schema.records[head.record]
                if (key := target.key) is not None and not isinstance(key.head, Derived | Reference):
                    told = len(self.unsaid)
                    inside = FactsOf(self.schema, target)._line(key, key.phrases[0], kind)
                    del self.unsaid[told:]
                    return inside
        return Allowed(kind)

    def _bytes(self, own: Field, head: Bytes, kind: Type) -> Allowed:
        if not head.base64:
            return Allowed(kind, patterns=(parse(f"([0-9a-f]{{2}}){{{head.low},{head.high}}}"),))
        self._tell(own.name, f"that it has {head.low} to {head.high} bytes")
        return Allowed(kind, patterns=(parse(BASE64),))

    def _list(self, own: Field, head: ListOf, kind: Type) -> Allowed:
        inside = kind.of or TEXT
        items = None if head.of_records else self._line(own, head.phrase, inside)
        items = replace(items, missing=bool(head.phrase.missing)) if items is not None else None
        return Allowed(
            kind, items=items, least=head.low, most=0 if head.unlimited else head.high, distinct=head.distinct
        )

    def _range(self, own: Field, head: Ranged, kind: Type) -> Allowed:
        low = None if head.range.open_low else self._fold(head.range.low)
        high = None if head.range.open_high else self._fold(head.range.high)
        for end, value, unlimited in (
            (head.range.low, low, head.range.open_low), (head.range.high, high, head.range.open_high)
        ):  # fmt: skip
            if value is None and not unlimited:
                self._tell(own.name, f"that an end of its range is {self._text(end)}")
        step: int | Decimal | None = None
        if isinstance(head, Integer | DecimalNumber):
            step = head.step if isinstance(head, Integer) else Decimal(head.step).scaleb(-head.places)
            if head.step > 1 and (not isinstance(low, int | Decimal) or low % step):
                self._tell(own.name, f"its steps of {step}")
                step = None
        elif not isinstance(head, Date) and head.step != 1_000_000:
            self._tell(own.name, f"its steps of {length_text(head.step)}")
        fine = isinstance(head, Time | DateTime | DurationRange) and head.step % 1_000_000 != 0
        return Allowed(kind, low=low, high=high, step=step, fine=fine)

    def _fold(self, expression: Expression) -> Constant | None:
        """Return the value of an end that is the same in every row, today and later."""
        found = fold(expression, self.today)
        if self.schema.today is None and found != fold(expression, self.today + timedelta(1)):
            return None
        return found


def _number(value: int | None, kind: Type) -> Constant | None:
    """Return a number in units of its last place as a number."""
    if value is None or not kind.places:
        return value
    return Decimal(value).scaleb(-kind.places)


def _narrower(phrase: Phrase) -> Iterator[Pattern]:
    """Yield the patterns of the clauses that narrow a text."""
    assert phrase.narrowed is not None
    if phrase.narrowed.matching is not None:
        yield parse(phrase.narrowed.matching)
    if phrase.narrowed.without:
        barred = re.sub(r"([!-/:-@\[-`{-~])", r"\\\1", phrase.narrowed.without)
        yield parse(f"[^{barred}]*")


def uuid_pattern(version: int) -> str:
    """Return the pattern of UUIDs of a version (RFC 9562)."""
    digit = "[0-9a-fA-F]"
    return f"{digit}{{8}}-{digit}{{4}}-{version}{digit}{{3}}-[89abAB]{digit}{{3}}-{digit}{{12}}"


@dataclass(frozen=True)
class Leaf:
    """A field as a column of a table: its path, its title, and whether it, or a record around it, may be missing."""

    facts: Facts
    path: tuple[str, ...]
    title: str
    missing: bool


def leaves(facts: tuple[Facts, ...], record: Record, missing: bool = False) -> list[Leaf]:
    """Return the columns of a table without nested records; a list is a single one."""
    found: list[Leaf] = []
    for each in facts:
        gone = missing or each.missing
        if each.inside and each.type.name != "list":
            found += leaves(each.inside, record, gone)
        else:
            name = each.field.name
            found.append(Leaf(each, tuple(name.split(".")), record.column(name), gone))
    return found
