"""The bounds of ranges as whole numbers, and the allowed days between them."""

from __future__ import annotations

import calendar
from datetime import date, datetime, time, timedelta
from decimal import ROUND_CEILING, ROUND_FLOOR, Decimal

from yurt.core import model
from yurt.core.base.public_holidays import closed_between
from yurt.core.model.constants import Constant, fold
from yurt.core.model.expressions import Duration, Member, Name, walk

DAY = 86_400_000_000


def bounds(head: model.Ranged, today: date) -> tuple[int, int] | None:
    """Return the constant bounds of a range in units of the head, or None.

    The units are places, days, or microseconds (since 1970, since midnight).
    """
    low, high = fold(head.range.low, today), fold(head.range.high, today)
    if low is None or high is None:
        return None
    return _units(head, low, ROUND_CEILING), _units(head, high, ROUND_FLOOR)


def _units(head: object, value: Constant, inwards: str) -> int:
    """Return a bound in units of the head; one between two values is moved inwards."""
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


def may_be_empty(head: object) -> bool:
    """Return whether a range has an end that depends on the row: `5..low`, but not `arrival + 1d..arrival + 9d`."""
    if not isinstance(head, model.Ranged):
        return False
    low, high = (
        {
            (getattr(each, "reference", ""), each.name)
            for each in walk(end)
            if isinstance(each, Name | Member) and each.name not in ("today", "now")
        }
        for end in (head.range.low, head.range.high)
    )
    return bool(low | high) and not (low == high and len(low) == 1)


def steps(head: object) -> int:
    """Return the distance between two values of a range, in units of the head."""
    return head.step if isinstance(head, model.Ranged) and not isinstance(head, model.Date) else 1


def allowed_between(days: model.Days, first: int, last: int) -> int:
    """Return the number of allowed days from the first to the last (since 1970), both included."""
    count, closed = 0, closed_between(days.closed, first, last)
    while first <= last:
        begin = date.fromordinal(first + date(1970, 1, 1).toordinal())
        length = min(calendar.monthrange(begin.year, begin.month)[1] - begin.day + 1, last - first + 1)
        if days.months[begin.month - 1]:
            # Every weekday occurs once in seven days; those of the remaining days once more.
            rest = sum(days.weekdays[(begin.weekday() + each) % 7] for each in range(length % 7))
            count += length // 7 * sum(days.weekdays) + rest
        first += length
    return count - sum(days.weekdays[each.weekday()] and days.months[each.month - 1] for each in closed)


def family_of(head: model.Ranged) -> str:
    """Return the type family of a range."""
    match head:
        case model.Date() | model.DateTime():
            return "date"
        case model.Time():
            return "time"
        case model.DurationRange():
            return "duration"
        case _:
            return "number"
