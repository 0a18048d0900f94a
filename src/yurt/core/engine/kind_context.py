"""What a kind asks for, for one field and one batch of rows.

What few records need is imported when a kind asks for it.

`agreed` keeps what the record shares; what belongs to the field alone comes from streams of the field.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import date
from functools import partial
from typing import Any

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from yurt.core.base import compute as pc
from yurt.core.base.arrays import Numbers, arrow, joined, strings
from yurt.core.base.errors import YurtError
from yurt.core.base.types import INTEGER, TEXT, Type
from yurt.core.columns.column import Column, coded, merge
from yurt.core.columns.evaluate import evaluate
from yurt.core.engine.entity import entity_of
from yurt.core.engine.matching import different, drawn
from yurt.core.engine.scope import BatchScope
from yurt.core.kinds import names
from yurt.core.kinds.famous import another_family
from yurt.core.kinds.fixed_names import FixedNames
from yurt.core.kinds.forms import formed
from yurt.core.kinds.lists import CITY_COLUMNS
from yurt.core.kinds.lives.age import age, born, year_of_birth
from yurt.core.kinds.picks import SEXES, SIZE, Codes, Mask, Pick, lines, nth
from yurt.core.kinds.relative import Relative
from yurt.core.model import KindOf
from yurt.core.model.constants import fold
from yurt.core.model.expressions import Expression, Literal
from yurt.core.patterns.parse import parse
from yurt.core.sampling.permutation import Permutation, tiered
from yurt.core.sampling.streams import Unit

# Lists whose row depends on fixed fields of the record: the columns that are compared, by aspect.
FOLLOWING: dict[str, dict[str, tuple[str, ...]]] = {
    "cities": {**CITY_COLUMNS, "postal-code": ("postal-code",), "size": SIZE},
    "jobs": {"department": ("department",)},
}
# The maximum length of a note, and the number of its different sentences.
LONGEST_NOTE, DIFFERENT = 2000, 4
DAY_ZERO = date(1970, 1, 1).toordinal()


class BatchContext:
    """The person, the place, and the draws of one batch of rows, for one field. `unique` says whether the field is."""

    def __init__(self, batch: BatchScope, field: str, head: KindOf, unique: bool) -> None:
        self.batch = batch
        self.rows = len(batch.rows)
        self.field = field
        self.unique = unique
        self.live = head.live
        self.head = head
        self.about = head.about
        self.entity = entity_of(batch.table, head.about)
        self.locales = self.entity.locales
        self.facts = self.entity.facts
        self.lifted = self.entity.live
        self.today_date = batch.table.run.today
        self.path = self.entity.path
        self.shared = batch.shared

    def once(self, name: str, make: Callable[[], Any]) -> Any:
        """Return what all kinds of the record share under a name; it is made on first use."""
        if (self.about, name) not in self.shared:
            self.shared[self.about, name] = make()
        return self.shared[self.about, name]

    def locale(self) -> Codes | int:
        """Return the number of each row's locale (0 for all if there is only one)."""
        return self.entity.locale(self.batch)

    def sex(self) -> Codes:
        """Return 0 for female and 1 for male."""
        return self.entity.sex(self.batch)

    def unit(self, *purpose: str | int) -> Unit:
        """Return a number in (0, 1) for each row, which all kinds of the record share."""
        return self.batch.unit(*self.path, *purpose)

    def own_unit(self, *purpose: str | int) -> Unit:
        """Return a number in (0, 1) for each row, for this field only."""
        return self.batch.unit(self.field, "value", *purpose)

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
        key = (name + purpose + str(only or ""), self.about, self.field if own else "")
        if key not in self.shared:
            narrowed = self.batch.table.restrictions.get((name, self.about, self.field if own else ""), ())
            if name in FOLLOWING and not own:
                classes = partial(self.life, "job class")
                self.shared[key] = self.entity.followed(self.batch, name, FOLLOWING[name], narrowed, classes)
            else:
                years = partial(year_of_birth, self) if name in ("given-names", "second-names") and not own else None
                if whose is not None:
                    group, groups = self.entity.group(self.batch, True, whose.year, whose.sex)
                else:
                    group, groups = self.entity.group(self.batch, by_sex, years)
                if only is not None:
                    groups = tuple((at, sex, (*said, ((only[0],), only[1]))) for at, sex, said in groups)
                source = lines(name, self.locales, self.entity.folder, groups, narrowed)
                u = self.own_unit("list", name + purpose) if own else self.unit("list", name + purpose)
                mine = Pick(source, source.draw(u, group))
                if key == ("family-names", self.about, ""):
                    mine = another_family(self.pick("given-names", by_sex=True), mine, u, group)
                self.shared[key] = mine
        found: Pick = self.shared[key]
        return found

    def nth_of(self, name: str, places: Codes) -> Column:
        """Return the list row at each position, in the language of each row's locale and for the person's sex."""
        of = self.locale() * 2 + self.sex()
        return nth(
            lines(name, self.locales, self.entity.folder, self.entity.group(self.batch, by_sex=True)[1]), of, places
        )

    def part(self, aspect: str, pick: Callable[[], Pick]) -> Pick | FixedNames:
        """Return what a field of the record fixes, or a row of a list."""
        if (expression := self.entity.fixed.get(aspect)) is None:
            return pick()
        return self.once(f"held {aspect}", lambda: FixedNames(expression, self.batch, self.entity.locales, pick))  # type: ignore[no-any-return]

    def fact(self, name: str, by_sex: bool = False) -> Column:
        """Return a fact of each row's locale."""
        found = [each[name] for each in self.entity.facts]
        if by_sex:
            words = strings([each[sex] for each in found for sex in SEXES])
            return coded(self.locale() * 2 + self.sex(), words)
        return coded(np.broadcast_to(self.locale(), (self.rows,)), strings([str(each) for each in found]))

    def born(self) -> Codes:
        """Return the person's birthday, in days since 1970, for the age that the record's fields fix."""
        return self.once("born", lambda: born(self))  # type: ignore[no-any-return]

    def age(self) -> Codes:
        """Return the person's age in whole years on the day of the run (`today`)."""
        return self.once("age", lambda: age(self))  # type: ignore[no-any-return]

    def vehicle_year(self) -> Codes:
        """Return the year in which the vehicle of the record was built."""
        from yurt.core.kinds.numbers.articles import vehicle_year

        return self.once("vehicle year", lambda: vehicle_year(self))  # type: ignore[no-any-return]

    def life(self, name: str) -> Numbers:
        """Return one respect of each person's life, such as `education`: a number for each row."""
        from yurt.core.kinds.lives.life import LIFE

        found: Numbers = self.once(f"life {name}", lambda: LIFE[name](self))
        return found

    def relative(self, number: int) -> Relative:
        """Return the partner of each person (0), or a child at home, from the eldest (1); or one that could be."""
        from yurt.core.kinds.lives.household import child, partner

        made: Callable[[], Relative] = lambda: child(self, number) if number else partner(self)  # noqa: E731
        return self.once(f"relative {number}", made)  # type: ignore[no-any-return]

    def phone(self, form: str, mobile: bool = False) -> Column:
        """Return a telephone number of the person: `international`, `national`, or `e164`."""
        from yurt.core.kinds.phones import phone

        return phone(self, form, mobile)

    def card(self, part: str) -> Column:
        """Return a part of the record's payment card."""
        from yurt.core.kinds.numbers.cards import card

        return card(self, part)

    def checked(self, rule: str, shape: str, form: str = "") -> Column:
        """Return numbers of a shape with the check digits of a rule."""
        from yurt.core.kinds.numbers.articles import checked

        return checked(self, rule, shape, form)

    def national_number(self, country: str) -> Column:
        """Return the number by which a state identifies the person."""
        from yurt.core.kinds.numbers.persons import PERSONS

        return PERSONS[country](self)

    def company_number(self, country: str) -> Column:
        """Return the tax number of the company."""
        from yurt.core.kinds.numbers.companies import COMPANIES

        return COMPANIES[country](self)

    def iban(self, groups: bool) -> Column:
        """Return account numbers of the country, in groups of four or without spaces."""
        from yurt.core.kinds.numbers.ibans import ibans

        return ibans(self, groups)

    def account(self, part: str) -> Column:
        """Return a part of account numbers in the country's form: the number, or the bank (four letters)."""
        from yurt.core.kinds.numbers.accounts import ACCOUNTS

        return ACCOUNTS[part](self)

    def password(self, shortest: int, longest: int, sets: list[str], without: str) -> Column:
        """Return passwords with a character of each set."""
        from yurt.core.kinds.passwords import passwords

        return passwords(self, shortest, longest, sets, without)

    def position(self, axis: str) -> Column:
        """Return the `latitude` or `longitude` of a position near the city."""
        from yurt.core.kinds.positions import position

        return position(self, axis)

    def grid_cell(self, grid: str) -> Column:
        """Return the cell of a grid over the earth that contains the position near the city."""
        from yurt.core.kinds.positions import grid_cell

        return grid_cell(self, grid)

    def degrees(self, angle: Column, ends: str) -> Column:
        """Return angles as degrees, minutes, and seconds; `ends` has the letters for positive and negative."""
        from yurt.core.kinds.positions import in_degrees

        return in_degrees(angle, ends, self.rows)

    def permuted(self, size: int) -> Codes:
        """Return a different number below `size` for each row, for a unique field."""
        number = Permutation(size, self.batch.stream(self.field, "unique", fixed=True))(self.batch.rows)
        return np.asarray(number).astype(np.int64)

    def today(self) -> int:
        """Return the `today` of the run, in days since 1970."""
        return self.batch.table.run.today.toordinal() - DAY_ZERO

    def one_of_two(self, female: str, male: str) -> Column:
        """Return one of two words, by the person's sex."""
        return coded(self.sex(), strings([female, male]))

    def given(self, name: str) -> Any:
        """Return the constant of a parameter, or its default; None if there is neither."""
        found = self.several(name)
        return found[0] if found else None

    def several(self, name: str) -> list[Any]:
        """Return the constants of a parameter."""
        for parameter, values in self.head.arguments:
            if parameter == name:
                return [self._constant(each) for each in values]
        return []

    def asked(self, name: str) -> list[Any]:
        """Return the arguments of all kinds of the same person, place, or card."""
        return [self._constant(each) for each in self.entity.told.get(name, ())]

    def asked_number(self, name: str, default: int) -> int:
        """Return the whole number that is an argument of a kind of the same person, or the default."""
        value = self.entity.constant(name)
        return value if isinstance(value, int) and not isinstance(value, bool) else default

    def fixed_numbers(self, aspect: str) -> tuple[Codes, Mask] | None:
        """Return the numbers (or days since 1970) of a field that fixes an aspect, and where it has one; or None."""
        if (expression := self.entity.fixed.get(aspect)) is None:
            return None
        found = evaluate(expression, self.batch).spread(self.rows)
        known = np.ones(self.rows, dtype=np.bool_) if found.nulls is None else ~found.nulls
        return np.asarray(found.values).astype(np.int64), known

    def _constant(self, expression: Expression) -> Any:
        if isinstance(expression, Literal):
            return expression.value
        return fold(expression, self.batch.table.run.today)

    def join(self, *parts: str | Column) -> Column:
        """Return the parts of each row, joined."""
        texts = [part if isinstance(part, str) else part.text(self.rows) for part in parts if part != ""]
        return Column(TEXT, joined(*texts))

    def upper(self, column: Column) -> Column:
        """Return texts in capitals."""
        return Column(TEXT, pc.utf8_upper(column.text(self.rows)))

    def small(self, column: Column) -> Column:
        """Return texts in small letters, with a dot in place of each space and apostrophe."""
        return Column(TEXT, pc.replace_substring_regex(pc.utf8_lower(column.text(self.rows)), "[ ']", "."))

    def form(self, name: str, parts: dict[str, Column]) -> Column:
        """Return the parts in the form of each row's locale, such as `{street} {house-number}`."""
        return self.by_locale(lambda number, places: formed(self.entity.facts[number][name], parts, places))

    def by_locale(self, make: Callable[[int, Codes], Column]) -> Column:
        """Return the results of `make` for all rows; it gets the number of a locale and the positions of its rows."""
        done: list[tuple[Codes, Column]] = []
        locale = np.broadcast_to(self.locale(), (self.rows,))
        for number in range(len(self.locales)):
            places = np.arange(self.rows) if len(self.locales) == 1 else np.flatnonzero(locale == number)
            if len(places):
                done.append((places, make(number, places)))
        return done[0][1] if len(done) == 1 else merge(done, self.rows, TEXT)

    def at(self, places: Codes) -> BatchContext:
        """Return the context of some of the rows, with what the record shares."""
        if len(places) == self.rows:
            return self
        return BatchContext(self.batch.select(places), self.field, self.head, self.unique)

    def where(self, mask: Mask, first: Column, second: Column) -> Column:
        """Return texts of the first column where the mask holds, else of the second."""
        return Column(TEXT, pc.if_else(arrow(mask), first.text(self.rows), second.text(self.rows)))

    def letters_of_names(
        self, of_family: Callable[[str], str], of_given: Callable[[str], str], size: int
    ) -> NDArray[np.int64]:
        """Return `size` letters of each person's family name and given name, as cells, by a function of the name."""
        return names.letters(self, of_family, of_given, size)

    def capital(self, column: Column) -> Column:
        """Return texts with a capital first letter, by the rules of each row's language."""
        from yurt.core.kinds.capitals import capital

        languages = {str(each["language"]) for each in self.facts}
        if len(languages) == 1 or "tr" not in languages:
            return capital(column, self.rows, *languages)
        return self.by_locale(
            lambda number, places: capital(column.take(places), len(places), str(self.facts[number]["language"]))
        )

    def word_of(self, words: list[str], at: Codes) -> Column:
        """Return one of the words for each position."""
        return coded(at, strings(words))

    def note(self, shortest: int, longest: int) -> Column:
        """Return sentences whose length is in a range; a note that ends inside one has a full stop of its own."""
        from yurt.core.kinds.notes import notes
        from yurt.core.kinds.sentences import sentences

        if not 1 <= shortest <= longest <= LONGEST_NOTE:
            raise YurtError(f"{self.field}: a note of {shortest} to {longest} characters is not possible")
        texts = [sentences(self, 1, f"note {number} ", after=number).text(self.rows) for number in range(DIFFERENT)]
        blank, stop = (self.fact(each).text(self.rows) for each in ("between-sentences", "full-stop"))
        found = notes(texts, blank, stop, self.own_unit("length"), shortest, longest)
        return merge([(places, Column(TEXT, each)) for places, each in found], self.rows, TEXT)

    def money_text(self, cents: Codes) -> Column:
        """Return amounts (in hundredths) with the currency, in the form of each row's country."""
        from yurt.core.kinds.localized import money_text

        return self.by_locale(lambda number, places: money_text(self.entity.facts[number], cents[places]))

    def date_text(self, u: Unit, form: str) -> Column:
        """Return dates of the last two years, in the form of each row's country."""
        from yurt.core.kinds.localized import date_text

        today = self.batch.table.run.today
        return self.by_locale(
            lambda number, places: date_text(self.entity.facts[number][form], self.locales[number], today, u[places])
        )

    def choose(self, *words: str) -> Column:
        """Return one of the words, with equal chances."""
        return coded((self.batch.unit(self.field, "choose") * len(words)).astype(np.int64), strings(words))

    def running_number(self) -> Column:
        """Return a different number for every row, as text."""
        number = tiered(self.batch.rows, self.batch.stream(self.field, "number", fixed=True))
        return Column(TEXT, pc.cast(arrow(number), pa.string()))

    def matching(self, pattern: str, *purpose: str) -> Column:
        """Return texts of a regular expression; `purpose` names the stream if several fields share the text."""
        if purpose:
            return drawn(parse(pattern), self.batch, *self.path, *purpose)
        if self.unique:
            return different(parse(pattern), self.batch, self.field)
        return drawn(parse(pattern), self.batch, self.field, "value")

    def whole(self, values: Numbers, kind: Type = INTEGER) -> Column:
        """Return whole numbers (in units of a type) as a column."""
        return Column(kind, np.asarray(values).astype(np.int64))
