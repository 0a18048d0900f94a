"""How many different values a field can have, known before anything is generated."""

from __future__ import annotations

import calendar
from datetime import date, datetime, time, timedelta
from decimal import ROUND_CEILING, ROUND_FLOOR, Decimal

from yurt.core import model
from yurt.core.kinds.catalogue import KINDS
from yurt.core.model.constants import Constant, fold
from yurt.core.model.expressions import Duration, Literal
from yurt.core.model.restriction import fits
from yurt.core.patterns.automaton import capacity as texts_of
from yurt.core.patterns.parse import PatternFault
from yurt.core.planning.restrictions import left_of_list, left_of_pattern

ENDLESS = 1 << 62
DAY = 86_400_000_000


class NotUnique(ValueError):
    """The reason why a field cannot be made unique."""


def bounds(head: model.Ranged, today: date) -> tuple[int, int] | None:
    """Return the constant bounds of a range in units of the head, or None.

    The units are places, days, or microseconds (since 1970, since midnight).
    """
    low, high = fold(head.range.low, today), fold(head.range.high, today)
    if low is None or high is None:
        return None
    return _units(head, low, ROUND_CEILING), _units(head, high, ROUND_FLOOR)


def _units(head: object, value: Constant, inwards: str) -> int:
    """Return a bound in units of the head; one that lies between two values is moved inwards."""
    if isinstance(value, int | Decimal) and not isinstance(value, bool):
        places = head.places if isinstance(head, model.DecimalNumber) else 0
        return int(Decimal(value).scaleb(places).to_integral_value(inwards))
    if isinstance(head, model.DateTime) and isinstance(value, date):
        moment = value if isinstance(value, datetime) else datetime(value.year, value.month, value.day)
        return (moment - datetime(1970, 1, 1)) // timedelta(microseconds=1)
    if isinstance(value, date):
        return value.toordinal() - date(1970, 1, 1).toordinal()
    if isinstance(value, time):
        return ((value.hour * 60 + value.minute) * 60 + value.second) * 1_000_000
    if isinstance(value, Duration):
        return (
            value.microseconds // DAY if isinstance(head, model.DurationRange) and head.in_days else value.microseconds
        )
    return 0


def steps(head: object) -> int:
    """Return the distance between two values of a range, in units of the head."""
    return head.step if isinstance(head, model.Ranged) and not isinstance(head, model.Date) else 1


def allowed_between(days: model.Days, first: int, last: int) -> int:
    """Return how many allowed days there are from the first to the last (since 1970), both included."""
    count = 0
    while first <= last:
        begin = date.fromordinal(first + date(1970, 1, 1).toordinal())
        length = min(calendar.monthrange(begin.year, begin.month)[1] - begin.day + 1, last - first + 1)
        if days.months[begin.month - 1]:
            # Every weekday comes once in seven days; those of the rest once more.
            rest = sum(days.weekdays[(begin.weekday() + each) % 7] for each in range(length % 7))
            count += length // 7 * sum(days.weekdays) + rest
        first += length
    return count


def capacity(field: model.Field, today: date, schema: model.Schema) -> int:
    """Return how many different values a unique field has at most; raise NotUnique where it cannot be unique.

    A reference has as many values as there are parents, which only a run knows: it counts as ENDLESS here.
    """
    if field.head is None:
        raise NotUnique("a `when` table draws each row on its own; make the parts unique in a field of their own")
    phrase = field.phrases[0]
    usually = phrase.usually
    if usually is not None and usually.name != "uniform":
        raise NotUnique(f"`usually {usually.name}` favours some values, and `unique` takes each at most once")
    if phrase.outliers or phrase.tracks:
        raise NotUnique("`outliers` and `tracks` favour some values, and `unique` takes each at most once")
    return _room(phrase, today, schema)


def _room(phrase: model.Phrase, today: date, schema: model.Schema) -> int:
    head = phrase.head
    match head:
        case (
            model.Integer()
            | model.DecimalNumber()
            | model.Date()
            | model.Time()
            | model.DateTime()
            | model.DurationRange()
        ):
            return _room_of_range(head, phrase.days, today)
        case model.Boolean():
            return 2
        case model.OneOf():
            if head.weighted:
                raise NotUnique("weights favour some values, and `unique` takes each at most once")
            left = left_of_list(head, phrase.narrowed)
            return len(left.values) if left is not None else 0
        case model.FromList():
            return _room_of_column(head, phrase.narrowed, schema)
        case model.Matching():
            return _room_of_pattern(head, phrase.narrowed)
        case model.Bytes():
            raise NotUnique("random bytes are drawn one by one; a `uuid` is unique")
        case model.ListOf():
            raise NotUnique("lists may repeat; `distinct` keeps the values of one list apart")
        case model.TimeSeries():
            raise NotUnique("a series begins anew at each parent, and jitter may meet")
        case model.Derived():
            raise NotUnique("it follows from other fields; make one of those unique instead")
        case model.KindOf():
            found = _room_of_kind(head)
            if not found:
                raise NotUnique(f"`{head.name}` repeats as in life; `email`, `username` or a pattern can be unique")
            if phrase.narrowed is not None:
                raise NotUnique("what is left of a kind is not counted; narrow a pattern instead")
            return found
        case _:
            return ENDLESS


def _room_of_kind(head: model.KindOf) -> int:
    if head.name not in KINDS:
        return ENDLESS
    kind = KINDS[head.name]
    if kind.counted is None:
        return kind.unique
    told = {name: [each.value for each in values if isinstance(each, Literal)] for name, values in head.arguments}
    return kind.counted(told)


def _room_of_range(head: model.Ranged, days: model.Days | None, today: date) -> int:
    ends = bounds(head, today)
    if ends is None:
        raise NotUnique("its range depends on other fields; give it fixed bounds")
    if days is not None and isinstance(head, model.Date):
        return allowed_between(days, *ends)
    if days is not None:
        raise NotUnique("moments on chosen days cannot be counted; make the date and the time two fields")
    return max(0, (ends[1] - ends[0]) // steps(head) + 1)


def _room_of_pattern(head: model.Matching, narrowed: model.Restriction | None) -> int:
    try:
        left = left_of_pattern(head.pattern, narrowed) if narrowed is not None else head.pattern
        if left is None:
            return 0
        if isinstance(left, model.OneOf):
            return len(left.values)
        if narrowed is not None and narrowed.matching is not None:
            raise NotUnique("the texts that match are too many to list; write one pattern that says it all")
        return texts_of(left)
    except PatternFault as fault:
        raise NotUnique(str(fault)) from None


def _room_of_column(head: model.FromList, narrowed: model.Restriction | None, schema: model.Schema) -> int:
    listed = schema.lists.get(head.name)
    if listed is None or not listed.columns or (head.column and head.column not in listed.columns):
        return ENDLESS
    if listed.weights is not None:
        raise NotUnique("weights favour some rows, and `unique` takes each at most once")
    values = [each for each in listed.column(head.column) if narrowed is None or fits(narrowed, each)]
    if len(set(values)) < len(values):
        raise NotUnique(f"the column `{head.column}` has values that come twice")
    return len(values)
