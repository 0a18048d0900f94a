"""Kinds of dates that are words of a language, or have an offset."""

from __future__ import annotations

from typing import TYPE_CHECKING

from yurt.core.base.types import DATETIME
from yurt.core.kinds.catalogue import kind
from yurt.core.kinds.contract import listed, text

if TYPE_CHECKING:
    from yurt.core.columns.column import Column
    from yurt.core.kinds.context import KindContext


@kind(
    "month-in-words",
    "a month, in the language",
    about="locale",
    source="Unicode CLDR",
    closed="Unicode CLDR",
    contract=listed("months", "text"),
)
def month_name(context: KindContext) -> Column:
    return context.pick("months", own=True).text("text")


@kind(
    "weekday-name",
    "a day of the week, in the language",
    about="locale",
    source="Unicode CLDR",
    closed="Unicode CLDR",
    contract=listed("weekdays", "text"),
)
def weekday_name(context: KindContext) -> Column:
    return context.pick("weekdays", own=True).text("text")


@kind(
    "date-in-words",
    "a date of this or the last year in the form of the country",
    about="locale",
    source="Unicode CLDR",
    contract=text("whether it is a date"),
)
def date_in_words(context: KindContext) -> Column:
    return context.date_text(context.own_unit("date"), "date-form")


@kind(
    "date-in-figures",
    "a date of this or the last year in the country's order",
    about="locale",
    source="Unicode CLDR",
    contract=text("whether it is a date"),
)
def date_in_figures(context: KindContext) -> Column:
    return context.date_text(context.own_unit("date"), "date-short")


# The offsets of the clocks of the world, the frequent ones more than once.
OFFSETS = ("Z", "Z", "Z", "Z", "+01:00", "+02:00", "+05:30", "+09:00", "-03:00", "-05:00", "-08:00")
DAYS_BACK = 1000
DATES = r"\d{4}-((0[13578]|1[02])-(0[1-9]|[12]\d|3[01])|(0[469]|11)-(0[1-9]|[12]\d|30)|02-(0[1-9]|[12]\d))"
TIMES = r"([01]\d|2[0-3]):[0-5]\d:([0-5]\d|60)([.,]\d{1,9})?(Z|[+-]([01]\d|2[0-3]):[0-5]\d)"


@kind(
    "iso-timestamp",
    "a date-time of the last years with its offset, as text",
    source="RFC 3339",
    allowed=f"{DATES}T{TIMES}",
)
def iso_timestamp(context: KindContext) -> Column:
    import numpy as np

    seconds = context.today() * 86_400 - (context.own_unit("second") * DAYS_BACK * 86_400).astype(np.int64)
    return context.join(context.whole(seconds * 1_000_000, DATETIME), context.choose(*OFFSETS))
