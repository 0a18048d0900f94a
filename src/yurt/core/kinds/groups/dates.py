"""Kinds of dates that are words of a language."""

from __future__ import annotations

from typing import TYPE_CHECKING

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
    contract=listed("months", "text"),
)
def month_name(context: KindContext) -> Column:
    return context.pick("months", own=True).text("text")


@kind(
    "weekday-name",
    "a day of the week, in the language",
    about="locale",
    source="Unicode CLDR",
    contract=listed("weekdays", "text"),
)
def weekday_name(context: KindContext) -> Column:
    return context.pick("weekdays", own=True).text("text")


@kind(
    "date-in-words",
    "a date of this or the last year as the country writes it",
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
