"""The plan of a schema: types, order, dependencies, cardinality, bounds, and the fields that determine a place."""

from __future__ import annotations

from datetime import date
from typing import Any

import pytest
from holidays import country_holidays

from yurt.core.base.types import Type
from yurt.core.heads.head import ENDLESS, NotUnique
from yurt.core.heads.registry import cardinality
from yurt.core.language.reader import read
from yurt.core.model import Record, Schema
from yurt.core.model.expressions import Literal
from yurt.core.model.plan import Plan
from yurt.core.planning.bounds import allowed_between, bounds
from yurt.core.planning.correlations import NotPossible, shares_of
from yurt.core.planning.entities import fixed_by, in_play
from yurt.core.source.diagnostics import SchemaFault, Source

from .conftest import HUTS, schema_of

TODAY = date(2026, 6, 1)


def schema(lines: str, tail: str = "", head: str = "") -> Schema:
    return read(Source("s", schema_of(lines, 5, head="seed: 1\ntoday: 2026-06-01\n" + head, tail=tail)))[0]


def record(lines: str, **more: str) -> Record:
    return schema(lines, **more).records["row"]


# An expression for a field `x`, in addition to the fields below, and its data type; decimals with their places.
BESIDE = """
i: integer 1..9
d: decimal 0.50..2.00
t: text 1..3
b: boolean
day: date 2026-01-01..2026-12-31
at: datetime 2026-01-01T00:00..2026-12-31T00:00
clock: time 08:00..12:00
span: duration 1h..2h step 1min
days: duration 1d..9d
l: list 1..2 of integer 1..9
"""
TYPES = {
    "i": "integer",
    "i + 1": "integer",
    "i + d": "decimal 2",
    "d * d": "decimal 4",
    "i / 2": "real",
    "i * 1.5": "decimal 1",
    "-d": "decimal 2",
    "i > 3": "boolean",
    "b and i > 3": "boolean",
    "not b": "boolean",
    't & "x"': "text",
    "i & t": "text",
    "day + 1d": "date",
    "day + 1h": "datetime",
    "day - day": "days",
    "at - at": "duration",
    "at - day": "duration",
    "day + 1mo": "date",
    "clock + 30min": "time",
    "clock - clock": "duration",
    "span * 2": "duration",
    "days + days": "days",
    "days + span": "duration",
    "if b then i else d": "decimal 2",
    "if b then day else at": "datetime",
    "coalesce(null, i)": "integer",
    "null": "null",
    "i in [1, 2]": "boolean",
    "t is null": "boolean",
    "t matches /a+/": "boolean",
    "round(d, 1)": "decimal 1",
    "round(d)": "integer",
    "floor(d)": "integer",
    "min(i, d)": "decimal 2",
    "length(t)": "integer",
    "upper(t)": "text",
    "year(day)": "integer",
    "size(l)": "integer",
    'join(l, "-")': "text",
    "includes(l, 3)": "boolean",
    "today": "date",
    "now": "datetime",
    "row": "integer",
    "draw(integer 1..9)": "integer",
    "draw(one of a | b)": "text",
    "number(t)": "real",
    "l": "list",
    "mod(i, 3)": "integer",
    "abs(d)": "decimal 2",
    "days(day - day)": "integer",
    "text(i)": "text",
    "i == d": "boolean",
    "day < at": "boolean",
    "clamp(i, 1, 5)": "integer",
    "sqrt(i)": "real",
    "weekday(day)": "integer",
}


@pytest.mark.parametrize("expression", TYPES)
def test_the_type_of_an_expression(expression: str) -> None:
    found = schema(BESIDE + f"x: '= {expression}'").plan.types["row", "x"]
    assert (f"{found.name} {found.places}" if found.places else found.name) == TYPES[expression]


# Type errors, and a part of their message.
WRONG = {
    "t + 1": "text",
    "b + 1": "boolean",
    "day + 1": "not defined",
    "day * 2": "date",
    "i and b": "not a condition",
    "not i": "needs a condition",
    "if i then 1 else 2": "not a condition",
    "if b then i else t": "different",
    "upper(i)": "text",
    "i < t": "compare",
    "day == i": "compare",
    "length(l)": "text",
    "round(d, 99)": "round",
    "round(d, i)": "round",
    "nothing(i)": "unknown function",
    'i in ["a"]': "",
    "upper()": "",
    "upper(t, t)": "",
    "q": "no field `q`",
    "t.x": "not a reference",
    "previous(i)": "",
    "l + 1": "list",
    "-t": "number",
    "l == l": "",
    "sum(l)": "unknown function",
    "1d + 1mo + i": "",
}


@pytest.mark.parametrize("expression", WRONG)
def test_a_type_error_is_reported_at_its_place(expression: str) -> None:
    text = schema_of(BESIDE + f"x: '= {expression}'", 5, head="seed: 1\ntoday: 2026-06-01\n")
    with pytest.raises(SchemaFault) as found:
        read(Source("s", text))
    (one,) = found.value.diagnostics
    assert WRONG[expression] in one.message, one.message
    assert text.index("x: '=") < one.span.start < text.index("x: '=") + len(expression) + 8


def test_the_plan_has_every_field_after_those_that_it_needs() -> None:
    plan = read(Source("huts", HUTS.read_text("utf-8")))[0].plan
    order = list(plan.types)
    assert len(order) > 30
    for (owner, name), needs in plan.needs.items():
        assert all(order.index((owner, need)) < order.index((owner, name)) for need in needs)
    assert {"party", "nights"} <= set(plan.needs["stay", "due"])
    assert plan.records_for("hut") == {"hut"}
    assert plan.records_for("stay") == {"stay", "hut", "hiker"}


@pytest.mark.parametrize(
    ("others", "wanted"),
    [
        ({"a": {"b"}, "b": {"c"}, "c": set()}, {"a", "b", "c"}),
        ({"a": set(), "b": {"a"}, "c": set()}, {"a"}),
        ({"a": {"b"}, "b": {"a"}, "c": {"a"}}, {"a", "b"}),
    ],
)
def test_record_types_that_one_depends_on(others: dict[str, set[str]], wanted: set[str]) -> None:
    assert Plan({}, {}, others).records_for("a") == wanted


def test_the_order_of_fields_does_not_matter() -> None:
    one = schema('a: integer 1..9\nb: = a + 1\nc: integer b..20\nd: text "{c}"')
    other = schema('d: text "{c}"\nc: integer b..20\nb: = a + 1\na: integer 1..9')
    assert one.plan.types == other.plan.types
    assert one.plan.needs == other.plan.needs


# A field and its number of different values; None with the reason if it cannot be unique.
CARDINALITY: dict[str, int | str] = {
    "integer 1..9": 9,
    "integer 1..9 step 2": 5,
    "integer -3..3": 7,
    "decimal 0.50..2.00": 151,
    "decimal 0.5..2.0 step 0.5": 4,
    "date 2026-06-01..2026-06-30": 30,
    "date 2026-06-01..2026-06-30, on mon": 5,
    "date 2026-01-01..2026-12-31, in feb": 28,
    "time 08:00..09:00": 61,
    "time 08:00..09:00 step 15min": 5,
    "datetime 2026-01-01T00:00..2026-01-01T00:01": 61,
    "duration 1d..14d": 14,
    "duration 30min..1h step 10min": 4,
    "boolean": 2,
    "one of a | b | c": 3,
    'one of a | bb | c, without "b"': 2,
    "one of a 50% | b": "weights",
    "/[ab]{2}/": 4,
    "/a?b?/": 4,
    "/(a|ab)(b|)/": 3,
    "/[0-9]{3}/": 1000,
    'like "A-1"': 260,
    "text 1..2 of digit": 110,
    "text 1..2 of digit, matching /1.*/": 11,
    "bytes 4": "random bytes",
    "list 1..2 of boolean": "lists may repeat",
    "= 1 + 1": "follows from other fields",
    "sequence": ENDLESS,
    "uuid": ENDLESS,
    "every 1d from 2026-01-01": "a series",
    "integer 1..9, usually low": "favours",
    "given-name": "repeats as in reality",
    "email": 10**18,
    "integer 1..9, usually normal(3, 1), outliers 5%": "favours",
    "cc-number": 10**11,
    'cc-number(prefix = "123456")': 10**9,
    "date 2026-01-01..2026-01-02, usually uniform": 2,
}


@pytest.mark.parametrize("line", CARDINALITY)
def test_how_many_values_a_field_has(line: str) -> None:
    found = schema(f"a: '{line}'")
    field, wanted = found.records["row"].by_name["a"], CARDINALITY[line]
    if isinstance(wanted, str):
        with pytest.raises(NotUnique, match=wanted):
            cardinality(field, TODAY, found)
    else:
        assert cardinality(field, TODAY, found) == wanted


BOUNDS: dict[str, tuple[int, int] | None] = {
    "integer 3..9": (3, 9),
    "integer 1 + 1..10 - 1": (2, 9),
    "decimal 0.50..2.00": (50, 200),
    "decimal 0.505..2.00": (505, 2000),
    "date 1970-01-02..1970-01-05": (1, 4),
    "date today..today + 1d": (20605, 20606),
    "date today-1mo..today+1y": (20574, 20970),
    "time 00:01..00:02": (60_000_000, 120_000_000),
    "duration 1d..2d": (1, 2),
    "duration 1h..2h step 1min": (3_600_000_000, 7_200_000_000),
    "datetime 1970-01-01T00:00..1970-01-01T00:01": (0, 60_000_000),
}


@pytest.mark.parametrize("line", BOUNDS)
def test_bounds_are_whole_numbers_of_steps(line: str) -> None:
    head: Any = record(f"a: '{line}'").by_name["a"].head
    assert bounds(head, TODAY) == BOUNDS[line]


def test_bounds_that_depend_on_the_row_are_none() -> None:
    head: Any = record("a: integer 1..9\nb: integer a..20").by_name["b"].head
    assert bounds(head, TODAY) is None


@pytest.mark.parametrize(
    ("clause", "first", "last"),
    [
        ("on mon | wed", date(2024, 2, 1), date(2026, 3, 15)),
        ("on sat..sun, in feb | jul", date(2023, 1, 1), date(2028, 12, 31)),
        ("in dec", date(2026, 12, 31), date(2027, 1, 1)),
        ("on fri", date(2026, 6, 6), date(2026, 6, 11)),
        ("on workdays of AT", date(1968, 6, 1), date(1973, 3, 1)),
        ("on workdays of KR | US, in sep..nov", date(2024, 1, 1), date(2031, 12, 31)),
    ],
)
def test_allowed_days_are_counted_as_a_calendar_does(clause: str, first: date, last: date) -> None:
    days = record(f"a: date 2020-01-01..2030-12-31, {clause}").by_name["a"].phrases[0].days
    assert days is not None
    every = [date.fromordinal(each) for each in range(first.toordinal(), last.toordinal() + 1)]
    closed = set()
    for country in days.closed:
        closed |= set(country_holidays(country, years=range(1970, 2033)))
    wanted = sum(days.weekdays[each.weekday()] and days.months[each.month - 1] and each not in closed for each in every)
    epoch = date(1970, 1, 1).toordinal()
    assert allowed_between(days, first.toordinal() - epoch, last.toordinal() - epoch) == wanted


# The fields that determine the place and person of a record, and what they determine (by aspect).
FIXED = {
    "country: one of AT | SI\ncity: city": {"": {"country"}},
    "country_code: one of AT | SI\nx: city": {"": {"country"}},
    "sex: one of female | male\nx: given-name": {"": {"sex"}},
    'x: city(region = "Wien")': {"": {"region"}},
    "x: given-name of guide\ny: city": {},
    "a: integer 1..9": {},
    "region: one of Tirol | Wien\nx: city of home\ny: city": {"": {"region"}},
}


@pytest.mark.parametrize("lines", FIXED)
def test_what_fixes_a_person_or_a_place(lines: str) -> None:
    found = fixed_by(record(lines, head="locale: de-AT\n"))
    assert {about: set(each) for about, each in found.items()} == FIXED[lines]


def test_locales_that_rows_can_have() -> None:
    plain = schema("x: city", head="locale: {de-AT: 60%, it-IT: 40%}\n")
    assert in_play(plain, plain.records["row"], {}) == ("de-AT", "it-IT")
    said = schema("country: one of AT | SI\nx: city", head="locale: {de-AT: 60%, it-IT: 40%}\n")
    row = said.records["row"]
    assert set(in_play(said, row, fixed_by(row)[""])) >= {"de-AT", "sl-SI"}
    told = schema("x: 'city(country = \"FR\")'", head="locale: de-AT\n")
    row = told.records["row"]
    assert isinstance(fixed_by(row)[""]["country"], Literal)
    assert set(in_play(told, row, fixed_by(row)[""])) == {"fr-FR"}


@pytest.mark.parametrize(
    ("pairs", "possible"),
    [
        ({("a", "b"): 0.9, ("b", "c"): 0.9}, True),
        ({("a", "b"): 0.9, ("a", "c"): -0.9, ("b", "c"): 0.9}, False),
        ({("a", "b"): -0.5}, True),
    ],
)
def test_correlations_that_cannot_be_together_are_refused(pairs: dict[tuple[str, str], float], possible: bool) -> None:
    lines = dict.fromkeys(("a", "b", "c"), "integer 1..99")
    text = "\n".join(
        f"{name}: {line}"
        + "".join(f", tracks {other} by {rank}" for (one, other), rank in pairs.items() if one == name)
        for name, line in lines.items()
    )
    try:
        read(Source("s", schema_of(text, 5)))
        assert possible
    except SchemaFault:
        assert not possible
    assert issubclass(NotPossible, ValueError)
    assert shares_of({}) == {}


def test_a_type_names_itself() -> None:
    assert str(Type("integer")) == "integer"
    assert Type("decimal", 2).family == Type("real").family == "number"
