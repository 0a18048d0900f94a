"""Kinds of dates that are words of a language."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from yurt.core.kinds.catalogue import kind

if TYPE_CHECKING:
    from yurt.core.engine.world.world import World


@kind("month-name", "a month, in the language", about="locale", source="Unicode CLDR")
def month_name(world: World) -> Any:
    return world.pick("months", own=True).text("text")


@kind("weekday-name", "a day of the week, in the language", about="locale", source="Unicode CLDR")
def weekday_name(world: World) -> Any:
    return world.pick("weekdays", own=True).text("text")


@kind(
    "date-in-words", "a date of this or the last year as the country writes it", about="locale", source="Unicode CLDR"
)
def date_in_words(world: World) -> Any:
    return world.date_text(world.own_unit("date"), "date-form")


@kind(
    "date-in-figures", "a date of this or the last year in the country's order", about="locale", source="Unicode CLDR"
)
def date_in_figures(world: World) -> Any:
    return world.date_text(world.own_unit("date"), "date-short")
