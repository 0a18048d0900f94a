"""The working days of a country: its weekend, and its public holidays by the `holidays` package.

Holidays of a whole country count, those of a single region do not. The package knows them until 2100, those of moon
calendars by estimate.
"""

from __future__ import annotations

from datetime import date
from functools import lru_cache
from warnings import catch_warnings, simplefilter

FIRST_YEAR, LAST_YEAR = 1970, 2099
EPOCH = date(1970, 1, 1).toordinal()
# The days after which the Gregorian calendar repeats: 400 years. Holidays repeat as well, far outside of these years.
CYCLE = 146_097


@lru_cache(maxsize=64)
def public_holidays(country: str) -> tuple[int, ...]:
    """Return the holidays of a country (ISO 3166-1 alpha-2) from 1970 to 2099, in days since 1970 and in their order.

    There are none for a country that is not known.
    """
    import holidays

    if not is_known(country):
        return ()
    with catch_warnings():
        # Of some countries, the package knows fewer years of the moon calendar.
        simplefilter("ignore")
        found = holidays.country_holidays(country, years=range(FIRST_YEAR, LAST_YEAR + 1))
    return tuple(sorted(day.toordinal() - EPOCH for day in found if FIRST_YEAR <= day.year <= LAST_YEAR))


def closed_between(countries: tuple[str, ...], first: int, last: int) -> list[date]:
    """Return the days between two days (since 1970, both included) that are a holiday in one of the countries."""
    every = {day for country in countries for day in public_holidays(country)}
    cycles = range(first // CYCLE, last // CYCLE + 1)
    found = (day + cycle * CYCLE for cycle in cycles for day in every)
    return [date.fromordinal(day + EPOCH) for day in found if first <= day <= last]


@lru_cache(maxsize=64)
def working_week(country: str) -> tuple[bool, ...]:
    """Return which days of the week, from Monday, are not the weekend of a country."""
    import holidays

    weekend = holidays.country_holidays(country).weekend if is_known(country) else {5, 6}
    return tuple(day not in weekend for day in range(7))


def is_known(country: str) -> bool:
    """Return whether the holidays of a country are known."""
    import holidays

    return country in holidays.list_supported_countries(include_aliases=False)
