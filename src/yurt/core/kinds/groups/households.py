"""Kinds about the people who live with the person of a record: a partner, and children at home."""

from __future__ import annotations

from typing import TYPE_CHECKING

from yurt.core.base.types import DATE, INTEGER
from yurt.core.kinds import names
from yurt.core.kinds.catalogue import Arguments, Parameter, kind
from yurt.core.kinds.contract import NAME, between, listed

if TYPE_CHECKING:
    from yurt.core.columns.column import Column
    from yurt.core.kinds.context import KindContext
    from yurt.core.kinds.picks import Codes
    from yurt.core.kinds.relative import Relative

NUMBER = {"number": Parameter("which child at home, from the eldest: 1 to 5", "1")}
MOST = 5


def _no_child(given: Arguments) -> str:
    wrong = [each for each in given.get("number", []) if each not in range(1, MOST + 1)]
    return f"`number` is that of a child, 1 to {MOST}, not {wrong[0]}" if wrong else ""


@kind("household-adults", "how many adults live together: 1, or 2 with a partner", about="person", by_age=True,
      type=INTEGER, contract=between(1, 2))  # fmt: skip
def household_adults(context: KindContext) -> Column:
    return context.whole(context.life("adults"))


@kind("household-children", "how many children live at home, in agreement with age and status", about="person",
      by_age=True, type=INTEGER, contract=between(0, 5))  # fmt: skip
def household_children(context: KindContext) -> Column:
    return context.whole(context.life("children at home"))


@kind("household-size", "how many people live together", about="person", by_age=True, type=INTEGER,
      contract=between(1, 7))  # fmt: skip
def household_size(context: KindContext) -> Column:
    return context.whole(context.life("adults") + context.life("children at home"))


@kind("partner-given-name", "the first name of the partner, for a person who has one", about="person", by_age=True,
      form=NAME, contract=listed("given-names", "name"))  # fmt: skip
def partner_given_name(context: KindContext) -> Column:
    return _given(context, context.relative(0))


@kind("partner-family-name", "the last name of the partner: by the custom of the country, the same", about="person",
      by_age=True, form=NAME, contract=listed("family-names", "name", "feminine"))  # fmt: skip
def partner_family_name(context: KindContext) -> Column:
    return _partner_family(context, context.relative(0).sex)


@kind("partner-birth-date", "the birthday of the partner", about="person", by_age=True, type=DATE)
def partner_birth_date(context: KindContext) -> Column:
    return context.whole(context.relative(0).born, DATE)


@kind("child-given-name", "the first name of a child at home, for a person who has it", about="person", by_age=True,
      parameters=NUMBER, wrong=_no_child, form=NAME, contract=listed("given-names", "name"))  # fmt: skip
def child_given_name(context: KindContext) -> Column:
    return _name_of_child(context, int(context.given("number") or 1))


@kind("child-family-name", "the last name of a child at home: the father's, where parents have two", about="person",
      by_age=True, parameters=NUMBER, wrong=_no_child, form=NAME,
      contract=listed("family-names", "name", "feminine"))  # fmt: skip
def child_family_name(context: KindContext) -> Column:
    child = context.relative(int(context.given("number") or 1))
    fathers = (context.sex() == 0) & (context.relative(0).sex == 1) & (context.life("adults") == 2)
    return context.where(fathers, _partner_family(context, child.sex), _family(context, child.sex))


@kind(
    "child-birth-date",
    "the birthday of a child at home",
    about="person",
    by_age=True,
    type=DATE,
    parameters=NUMBER,
    wrong=_no_child,
)
def child_birth_date(context: KindContext) -> Column:
    return context.whole(context.relative(int(context.given("number") or 1)).born, DATE)


def _given(context: KindContext, relative: Relative, again: str = "") -> Column:
    return context.pick("given-names", purpose=f" of {relative.name}{again}", whose=relative).text("name")


def _name_of_child(context: KindContext, number: int) -> Column:
    """Return the first name of a child, which differs from those of the elder ones."""
    from yurt.core.base import compute as pc

    child = context.relative(number)
    found = _given(context, child)
    elder = [_name_of_child(context, each).text(context.rows) for each in range(1, number)]
    for again in names.OTHER if elder else ():
        for each in elder:
            same = pc.equal(found.text(context.rows), each).to_numpy(zero_copy_only=False)
            found = context.where(same, _given(context, child, again), found)
    return found


def _family(context: KindContext, sex: Codes) -> Column:
    """Return the person's family name in the form for a sex."""
    return names.of_sex(names.family(context), sex)


def _partner_family(context: KindContext, sex: Codes) -> Column:
    other = names.of_sex(context.pick("family-names", purpose=" of partner"), sex)
    return context.where(context.life("one family name") == 1, _family(context, sex), other)
