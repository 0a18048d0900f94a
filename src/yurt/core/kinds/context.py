"""What a kind draws from: the person, the place, and the draws of one batch of rows, for one field.

Kinds see this Protocol and nothing of the engine, which implements it.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import date
from typing import TYPE_CHECKING, Any, Protocol

from yurt.core.base.json_object import JsonObject
from yurt.core.base.types import INTEGER, Type

if TYPE_CHECKING:
    from yurt.core.base.arrays import Numbers
    from yurt.core.columns.column import Column
    from yurt.core.kinds.fixed_names import FixedNames
    from yurt.core.kinds.picks import Codes, Mask, Pick
    from yurt.core.kinds.relative import Relative
    from yurt.core.sampling.streams import Unit


class KindContext(Protocol):
    """A batch of rows as the kind of one field sees it."""

    # The number of rows, the name of the field, whether it is unique, and whether the safe ranges are lifted.
    rows: int
    field: str
    unique: bool
    live: bool
    # The kinds of the same person or place whose safe ranges are lifted.
    lifted: set[str]
    # The locales of the record with the facts of each; each row has the number of its locale.
    locales: tuple[str, ...]
    facts: list[JsonObject]
    # The date of the run (`today`).
    today_date: date

    def once(self, name: str, make: Callable[[], Any]) -> Any:
        """Return what all kinds of the record share under a name; it is made on first use."""
        ...

    def locale(self) -> Codes | int:
        """Return the number of each row's locale (0 for all if there is only one)."""
        ...

    def sex(self) -> Codes:
        """Return 0 for female and 1 for male."""
        ...

    def unit(self, *purpose: str | int) -> Unit:
        """Return a number in (0, 1) for each row, which all kinds of the record share."""
        ...

    def own_unit(self, *purpose: str | int) -> Unit:
        """Return a number in (0, 1) for each row, for this field only."""
        ...

    def pick(
        self,
        name: str,
        by_sex: bool = False,
        own: bool = False,
        purpose: str = "",
        only: tuple[str, str] | None = None,
        whose: Relative | None = None,
    ) -> Pick:
        """Return a row of a list for each record: the shared one, or the field's `own`.

        `purpose` distinguishes several rows of one list, such as the first and the second given name. `only` is a
        column, and the value that rows have there. The name is that of a relative if `whose` is given.
        """
        ...

    def nth_of(self, name: str, places: Codes) -> Column:
        """Return the list row at each position, in the language of each row's locale and for the person's sex."""

    def part(self, aspect: str, pick: Callable[[], Pick]) -> Pick | FixedNames:
        """Return what a field of the record fixes, or a row of a list."""
        ...

    def fact(self, name: str, by_sex: bool = False) -> Column:
        """Return a fact of each row's locale."""
        ...

    def born(self) -> Codes:
        """Return the person's birthday, in days since 1970, for the age that the record's fields fix."""
        ...

    def age(self) -> Codes:
        """Return the person's age in whole years on the day of the run (`today`)."""
        ...

    def vehicle_year(self) -> Codes:
        """Return the year in which the vehicle of the record was built."""

    def life(self, name: str) -> Numbers:
        """Return one respect of each person's life, such as `education`: a number for each row."""

    def relative(self, number: int) -> Relative:
        """Return the partner of each person (0), or a child at home, from the eldest (1); or one that could be."""

    def phone(self, form: str, mobile: bool = False) -> Column:
        """Return a telephone number of the person: `international`, `national`, or `e164`."""
        ...

    def card(self, part: str) -> Column:
        """Return a part of the record's payment card."""
        ...

    def checked(self, rule: str, shape: str, form: str = "") -> Column:
        """Return numbers of a shape with the check digits of a rule."""
        ...

    def national_number(self, country: str) -> Column:
        """Return the number by which a state identifies the person."""
        ...

    def company_number(self, country: str) -> Column:
        """Return the tax number of the company."""
        ...

    def iban(self, groups: bool) -> Column:
        """Return account numbers of the country, in groups of four or without spaces."""
        ...

    def account(self, part: str) -> Column:
        """Return a part of account numbers in the country's form: the number, or the bank (four letters)."""

    def password(self, shortest: int, longest: int, sets: list[str], without: str) -> Column:
        """Return passwords with a character of each set."""
        ...

    def position(self, axis: str) -> Column:
        """Return the `latitude` or `longitude` of a position near the city."""

    def grid_cell(self, grid: str) -> Column:
        """Return the cell of a grid over the earth that contains the position near the city."""

    def degrees(self, angle: Column, ends: str) -> Column:
        """Return angles as degrees, minutes, and seconds; `ends` has the letters for positive and negative."""
        ...

    def permuted(self, size: int) -> Codes:
        """Return a different number below `size` for each row, for a unique field."""
        ...

    def today(self) -> int:
        """Return the `today` of the run, in days since 1970."""
        ...

    def one_of_two(self, female: str, male: str) -> Column:
        """Return one of two words, by the person's sex."""
        ...

    def given(self, name: str) -> Any:
        """Return the constant of a parameter, or its default; None if there is neither."""
        ...

    def several(self, name: str) -> list[Any]:
        """Return the constants of a parameter."""
        ...

    def asked(self, name: str) -> list[Any]:
        """Return the arguments of all kinds of the same person, place, or card."""
        ...

    def asked_number(self, name: str, default: int) -> int:
        """Return the whole number that is an argument of a kind of the same person, or the default."""

    def fixed_numbers(self, aspect: str) -> tuple[Codes, Mask] | None:
        """Return the numbers (or days since 1970) of a field that fixes an aspect, and where it has one; or None."""

    def join(self, *parts: str | Column) -> Column:
        """Return the parts of each row, joined."""
        ...

    def upper(self, column: Column) -> Column:
        """Return texts in capitals."""
        ...

    def small(self, column: Column) -> Column:
        """Return texts in small letters, with a dot in place of each space and apostrophe."""

    def form(self, name: str, parts: dict[str, Column]) -> Column:
        """Return the parts in the form of each row's locale, such as `{street} {house-number}`."""
        ...

    def by_locale(self, make: Callable[[int, Codes], Column]) -> Column:
        """Return the results of `make` for all rows; it gets the number of a locale and the positions of its rows."""
        ...

    def at(self, places: Codes) -> KindContext:
        """Return the context of some of the rows, with what the record shares."""
        ...

    def where(self, mask: Mask, first: Column, second: Column) -> Column:
        """Return texts of the first column where the mask holds, else of the second."""
        ...

    def letters_of_names(self, of_family: Callable[[str], str], of_given: Callable[[str], str], size: int) -> Codes:
        """Return `size` letters of each person's family name and given name, as cells, by a function of the name."""
        ...

    def capital(self, column: Column) -> Column:
        """Return texts with a capital first letter."""
        ...

    def word_of(self, words: list[str], at: Codes) -> Column:
        """Return one of the words for each position."""
        ...

    def note(self, shortest: int, longest: int) -> Column:
        """Return sentences that are cut to a length in a range (in a number of steps), with a full stop at the end."""
        ...

    def money_text(self, cents: Codes) -> Column:
        """Return amounts (in hundredths) with the currency, in the form of each row's country."""
        ...

    def date_text(self, u: Unit, form: str) -> Column:
        """Return dates of the last two years, in the form of each row's country."""
        ...

    def choose(self, *words: str) -> Column:
        """Return one of the words, with equal chances."""
        ...

    def running_number(self) -> Column:
        """Return a different number for every row, as text."""
        ...

    def matching(self, pattern: str, *purpose: str) -> Column:
        """Return texts of a regular expression; `purpose` names the stream if several fields share the text."""
        ...

    def whole(self, values: Numbers, kind: Type = INTEGER) -> Column:
        """Return whole numbers (in units of a type) as a column."""
        ...
