"""How many different values a field can have, known before anything is generated."""

from __future__ import annotations

from datetime import date, datetime, timedelta
from decimal import ROUND_CEILING, ROUND_FLOOR, Decimal

from yurt.core import model
from yurt.core.constants import Constant, fold
from yurt.core.kinds.catalogue import KINDS
from yurt.core.patterns.automaton import capacity as texts_of
from yurt.core.patterns.parse import PatternFault

ENDLESS = 1 << 62


class NotUnique(ValueError):
    """The reason why a field cannot be made unique."""


def bounds(
    head: model.Integer | model.DecimalNumber | model.Date | model.DateTime, today: date
) -> tuple[int, int] | None:
    """Return the constant bounds of a range in units of the head (places, days, microseconds since 1970), or None."""
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
    return 0


def steps(head: object) -> int:
    """Return the distance between two values of a range, in units of the head."""
    return head.step if isinstance(head, model.Integer | model.DecimalNumber | model.DateTime) else 1


def capacity(field: model.Field, today: date) -> int:
    """Return how many different values a unique field has at most; raise NotUnique where it cannot be unique.

    A reference has as many values as there are parents, which only a run knows: it counts as ENDLESS here.
    """
    head = field.head
    if head is None:
        raise NotUnique("a `when` table draws each row on its own; make the parts unique in a field of their own")
    usually = field.phrases[0].usually
    if usually is not None and usually.name != "uniform":
        raise NotUnique(f"`usually {usually.name}` favours some values, and `unique` takes each at most once")
    match head:
        case model.Integer() | model.DecimalNumber() | model.Date() | model.DateTime():
            ends = bounds(head, today)
            if ends is None:
                raise NotUnique("its range depends on other fields; give it fixed bounds")
            return max(0, (ends[1] - ends[0]) // steps(head) + 1)
        case model.Boolean():
            return 2
        case model.OneOf():
            if head.weighted:
                raise NotUnique("weights favour some values, and `unique` takes each at most once")
            return len(head.values)
        case model.Matching():
            try:
                return texts_of(head.pattern)
            except PatternFault as fault:
                raise NotUnique(str(fault)) from None
        case model.Derived():
            raise NotUnique("it follows from other fields; make one of those unique instead")
        case model.KindOf():
            found = KINDS[head.name].unique if head.name in KINDS else ENDLESS
            if not found:
                raise NotUnique(f"`{head.name}` repeats as in life; `email`, `username` or a pattern can be unique")
            return found
        case _:
            return ENDLESS
