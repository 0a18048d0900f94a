"""Instances of model classes: filled by type, constraint, and name; judged by the classes' own validators."""

from __future__ import annotations

import enum
import re
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal
from ipaddress import IPv4Address
from typing import Annotated, Any, ClassVar, Literal, NamedTuple, NewType, NotRequired, TypedDict
from uuid import UUID

import annotated_types as limits
import attrs
import email_validator
import jsonschema
import pydantic
import pytest
import sqlalchemy as sa
from sqlalchemy import orm

import yurt as library

Code = NewType("Code", str)


class Board(enum.Enum):
    NONE = "none"
    HALF = "half"
    FULL = "full"


class Grade(enum.IntEnum):
    EASY = 1
    HARD = 2


@dataclass
class Home:
    city: str
    zip: str


@dataclass
class Path:
    """A class that contains itself."""

    name: str
    before: Path | None = None
    after: list[Path] = field(default_factory=list)


@dataclass
class Everything:
    count: Annotated[int, limits.Ge(1), limits.Lt(5)]
    even: Annotated[int, limits.MultipleOf(2), limits.Interval(ge=3, le=11)]
    price: Annotated[Decimal, limits.Ge(18), limits.Le(95), limits.MultipleOf(Decimal("0.5"))]
    share: Annotated[float, limits.Ge(0), limits.Le(1)]
    title_: Annotated[str, limits.Len(3, 9)]
    code: Annotated[str, re.compile(r"^[A-Z]{2}-\d{3}$")]
    own: Annotated[Code, library.Line('like "HK-40218"')]
    board: Board
    grade: Grade
    choice: Literal["x", 2, True]
    maybe: str | None
    either: int | str
    home: Home
    homes: Annotated[list[Home], limits.Len(1, 2)]
    boards: set[Board]
    pair: tuple[int, str]
    many: tuple[float, ...]
    counts: dict[str, int]
    deep: list[list[int]]
    day: Annotated[date, limits.Ge(date(2026, 6, 1)), limits.Le(date(2026, 6, 30))]
    at: datetime
    clock: time
    walk: timedelta
    mark: UUID
    raw: bytes
    address: IPv4Address
    flag: bool
    if_: int
    unknown: object = None
    shared: ClassVar[int] = 5


RULES: dict[str, Callable[[Any], bool]] = {
    "count": lambda each: each in (1, 2, 3, 4),
    "even": lambda each: each in (4, 6, 8, 10),
    "price": lambda each: type(each) is Decimal and 18 <= each <= 95 and each % Decimal("0.5") == 0,
    "share": lambda each: type(each) is float and 0 <= each <= 1,
    "title_": lambda each: 3 <= len(each) <= 9,
    "code": lambda each: bool(re.fullmatch(r"[A-Z]{2}-\d{3}", each)),
    "own": lambda each: bool(re.fullmatch(r"[A-Z]{2}-\d{5}", each)),
    "board": lambda each: type(each) is Board,
    "grade": lambda each: type(each) is Grade,
    "choice": lambda each: any(each is one for one in ("x", 2, True)),
    "maybe": lambda each: each is None or type(each) is str,
    "either": lambda each: type(each) in (int, str),
    "home": lambda each: type(each) is Home and each.city != "",
    "homes": lambda each: len(each) in (1, 2) and all(type(one) is Home for one in each),
    "boards": lambda each: type(each) is set and all(type(one) is Board for one in each),
    "pair": lambda each: (type(each[0]), type(each[1]), len(each)) == (int, str, 2),
    "many": lambda each: type(each) is tuple and all(type(one) is float for one in each),
    "counts": lambda each: all(type(one) is str and type(number) is int for one, number in each.items()),
    "deep": lambda each: all(type(one) is int for inner in each for one in inner),
    "day": lambda each: date(2026, 6, 1) <= each <= date(2026, 6, 30) and type(each) is date,
    "at": lambda each: type(each) is datetime,
    "clock": lambda each: type(each) is time,
    "walk": lambda each: type(each) is timedelta,
    "mark": lambda each: type(each) is UUID,
    "raw": lambda each: type(each) is bytes and len(each) > 0,
    "address": lambda each: type(each) is IPv4Address,
    "flag": lambda each: type(each) is bool,
    "if_": lambda each: type(each) is int,
    "unknown": lambda each: each is None,
}  # fmt: skip


def test_a_data_class_is_filled_by_its_annotations() -> None:
    made = list(library.instances(Everything, count=200, row=1))
    for name, rule in RULES.items():
        assert all(rule(getattr(each, name)) for each in made), name
    # What may vary does: every arm of a union, missing values, empty lists.
    assert {type(each.either) for each in made} == {int, str} and {type(each.maybe) for each in made} == {
        str,
        type(None),
    }
    assert {len(each.counts) for each in made} >= {0, 2} and {each.board for each in made} == {*Board}
    assert made[5:] == list(library.instances(Everything, count=195, row=6))
    assert made[:3] != list(library.instances(Everything, count=3, seed=2))
    assert library.instance(Everything, row=7) == made[6]


def test_names_choose_kinds_that_describe_one_person() -> None:
    @dataclass
    class Guest:
        given_name: str
        family_name: str
        email: str
        city: str
        id: int

    for number, each in enumerate(library.instances(Guest, count=50), 1):
        assert email_validator.validate_email(each.email, check_deliverability=False, test_environment=True)
        assert each.id == number and each.given_name[0].isupper()
    one = library.instance(Guest, family_name="Zirbenhofer", given_name="Jutta")
    assert one.email.startswith("jutta.zirbenhofer") and one.family_name == "Zirbenhofer"


def test_an_override_is_judged_by_the_annotations() -> None:
    assert library.instance(Everything, count=4, board=Board.FULL, home=Home("Graz", "8010")).home == Home(
        "Graz", "8010"
    )
    for values, rule, expected in (
        ({"count": 5}, "range", "below 5"),
        ({"count": "3"}, "type", "a whole number"),
        ({"count": True}, "type", "a whole number"),
        ({"even": 5}, "step", "a multiple of 2"),
        ({"title_": "ab"}, "length", "at least 3"),
        ({"code": "ab-123"}, "pattern", r"/^[A-Z]{2}-\d{3}$/"),
        ({"day": date(2026, 7, 1)}, "range", "at most 2026-06-30"),
    ):
        with pytest.raises(library.ValueFault) as told:
            library.instance(Everything, values)
        assert (told.value.rule, told.value.expected) == (rule, expected)
        assert getattr(library.instance(Everything, values, allow_invalid=True), *values) == next(iter(values.values()))


def test_a_class_inside_itself_ends_where_it_may() -> None:
    found = library.instance(Path)
    assert (found.before, found.after) == (None, [])


@attrs.define
class Hut:
    code: str = attrs.field(validator=attrs.validators.matches_re(r"[A-Z]{2}-\d{3}"))
    beds: int = attrs.field(validator=[attrs.validators.ge(8), attrs.validators.le(140)])
    label: str = attrs.field(validator=attrs.validators.and_(attrs.validators.min_len(2), attrs.validators.max_len(5)))
    kind: str = attrs.field(validator=attrs.validators.in_(["hut", "tent"]))
    note: str | None = attrs.field(default=None, validator=attrs.validators.optional(attrs.validators.max_len(3)))
    _inner: int = attrs.field(default=3, validator=attrs.validators.lt(10))


def test_attrs_classes_accept_what_their_validators_ask_for() -> None:
    for each in library.instances(Hut, count=100):
        attrs.validate(each)
    with pytest.raises(library.ValueFault, match=r"Hut.beds: 7 breaks the rule `range`; expected at least 8"):
        library.instance(Hut, beds=7)
    with pytest.raises(library.YurtError, match="Hut refuses its values"):
        library.instance(Hut, beds=7, allow_invalid=True, row=1)


class Stay(pydantic.BaseModel):
    guest: pydantic.EmailStr
    link: pydantic.HttpUrl
    arrival: date
    departure: date
    seen: pydantic.AwareDatetime
    nights: int = pydantic.Field(ge=1, le=14, alias="Nights")
    code: Annotated[str, pydantic.StringConstraints(pattern=r"^[A-Z]{3}\d+$", max_length=8)]
    routes: list[Literal["ridge", "lake"]] = pydantic.Field(min_length=1)
    amount: Decimal = pydantic.Field(max_digits=6, decimal_places=2, gt=0)
    secret: pydantic.SecretStr
    born: pydantic.PastDate
    board: Board | None = None

    @pydantic.model_validator(mode="after")
    def _in_order(self) -> Stay:
        if self.departure <= self.arrival:
            raise ValueError("the departure is before the arrival")
        return self


def test_pydantic_models_are_drawn_until_their_own_rules_hold() -> None:
    for each in library.instances(Stay, count=60):
        assert Stay.model_validate(each.model_dump(by_alias=True)) == each
        assert each.departure > each.arrival and each.seen.tzinfo is not None
    assert library.instance(Stay, nights=3).nights == 3
    moment = datetime(2026, 1, 2, 3, tzinfo=UTC)
    assert library.instance(Stay, seen=moment).seen == moment
    assert library.instance(Stay, nights=99, allow_invalid=True).nights == 99
    impossible = {"arrival": date(2026, 7, 2), "departure": date(2026, 7, 1)}
    with pytest.raises(
        library.YurtError, match=r"(?s)Stay refuses 100 records in a row: .*before the arrival.*give the fields"
    ):
        library.instance(Stay, impossible)


class Tag(TypedDict):
    name: str
    weight: NotRequired[Annotated[int, limits.Ge(3), limits.Le(4)]]


class Place(NamedTuple):
    lat: float
    label: str = "none"


def test_typed_dicts_and_named_tuples() -> None:
    tags = list(library.instances(Tag, count=60))
    assert {frozenset(each) for each in tags} == {frozenset({"name"}), frozenset({"name", "weight"})}
    assert {each.get("weight") for each in tags} == {None, 3, 4}
    place = library.instance(Place, label="ridge")
    assert isinstance(place, Place) and place.label == "ridge" and type(place.lat) is float


class Base(orm.DeclarativeBase):
    pass


class HutRow(Base):
    __tablename__ = "hut"
    id: orm.Mapped[int] = orm.mapped_column(primary_key=True)
    name: orm.Mapped[str] = orm.mapped_column(sa.String(20), unique=True)
    price: orm.Mapped[Decimal] = orm.mapped_column(sa.Numeric(5, 2))
    note: orm.Mapped[str | None]
    stays: orm.Mapped[list[StayRow]] = orm.relationship(back_populates="hut")


class StayRow(Base):
    __tablename__ = "stay"
    id: orm.Mapped[int] = orm.mapped_column(primary_key=True)
    hut_id: orm.Mapped[int] = orm.mapped_column(sa.ForeignKey("hut.id"))
    hut: orm.Mapped[HutRow] = orm.relationship(back_populates="stays")
    board: orm.Mapped[Board]
    status: orm.Mapped[str] = orm.mapped_column(sa.Enum("booked", "left", name="status"))
    arrival: orm.Mapped[date]
    mark: orm.Mapped[UUID] = orm.mapped_column(unique=True)


class Alone(Base):
    __tablename__ = "alone"
    id: orm.Mapped[int] = orm.mapped_column(primary_key=True)
    hut_id: orm.Mapped[int] = orm.mapped_column(sa.ForeignKey("hut.id"))


def test_mapped_classes_are_stored_with_the_objects_that_they_refer_to() -> None:
    engine = sa.create_engine("sqlite://")
    sa.event.listen(engine, "connect", lambda connection, record: connection.execute("pragma foreign_keys = on"))
    Base.metadata.create_all(engine)
    with orm.Session(engine) as session:
        session.add_all(library.instances(StayRow, count=30))
        session.commit()
        stays = session.scalars(sa.select(StayRow)).all()
        assert len(stays) == 30 and all(each.hut_id == each.hut.id and len(each.hut.name) <= 20 for each in stays)
        hut = stays[0].hut
        more = library.instance(StayRow, hut=hut, id=99)
        session.add(more)
        session.commit()
        assert more.hut_id == hut.id and len(hut.stays) == 2
    with pytest.raises(library.YurtError, match=r"Alone.hut_id: no line is known"):
        library.instance(Alone)
    assert library.instance(Alone, hut_id=4).hut_id == 4


class Documented:
    """A class that says what it takes by JSON Schema alone."""

    __json_schema__: ClassVar[dict[str, Any]] = {
        "type": "object",
        "required": ["a", "e"],
        "properties": {
            "a": {"type": "integer", "minimum": 3, "exclusiveMaximum": 5},
            "b": {"enum": [1, "x", None]},
            "c": {"type": "array", "items": {"$ref": "#/$defs/point"}, "minItems": 1, "maxItems": 2},
            "d": {"type": "string", "format": "email"},
            "e": {"type": ["string", "null"], "maxLength": 5},
            "f": {"anyOf": [{"type": "boolean"}, {"type": "number", "multipleOf": 0.5}]},
            "g": {"const": "fixed"},
        },
        "$defs": {
            "point": {"type": "object", "required": ["q"], "properties": {"q": {"type": "number", "maximum": 9}}}
        },
    }

    def __init__(self, **values: Any) -> None:
        self.values = values


def test_a_class_with_a_json_schema_gets_what_the_schema_allows() -> None:
    judge = jsonschema.Draft202012Validator(Documented.__json_schema__)
    made = [each.values for each in library.instances(Documented, count=100)]
    for each in made:
        judge.validate(each)
    assert {"a", "e"} <= {*made[0]} and any("g" not in each for each in made) and any("c" in each for each in made)


class Widget:
    pass


@dataclass
class WithWidget:
    part: Widget


@dataclass
class Impossible:
    name: Annotated[str, limits.MinLen(5), limits.MaxLen(3)]


@dataclass
class BadPattern:
    name: Annotated[str, re.compile(r"(a+)\1")]


@dataclass
class Needy:
    inner: Needy


WRONG: list[tuple[Callable[[], Any], str]] = [
    (lambda: library.instance(Widget), "the class Widget has no fields that Yurt can read; known are attrs, data class"),
    (lambda: library.instance(WithWidget), r"WithWidget.part: no line is known for Widget; say how .*part=…"),
    (lambda: library.instance(Impossible), "Impossible: no values for `name: text 5..3`"),
    (lambda: library.instance(BadPattern), "BadPattern: no values for `name: "),
    (lambda: library.instance(Needy), "Needy.inner: Needy contains itself"),
    (lambda: library.instance(Home, citty="x"), "`Home` has no field `citty`; did you mean `city`"),
    (lambda: library.instance(Home, ["x"]), "values are given by name"),  # type: ignore[arg-type]
    (lambda: library.instance(Home, row=0), "`row` is 0"),
    (lambda: library.instance(Home, seed=-1), "`seed` is -1"),
    (lambda: library.instance("Home"), "an instance of str has no fields"),  # type: ignore[arg-type]
    (lambda: library.instance([]), "a model class is needed, not list"),  # type: ignore[arg-type]
    (lambda: library.instance(int), "the class int has no fields"),
    (lambda: library.instances(Home, count=-1), "`count` is -1"),
    (lambda: library.instances(Widget, count=1), "has no fields"),
    (lambda: library.instances(Home, count=2, nothing=3), "has no field `nothing`"),
    (lambda: library.instances(Home, count="3"), "`count` is '3'"),  # type: ignore[arg-type]
    (lambda: library.instances(Home, count=1, row=0), "`row` is 0"),
    (lambda: library.schema_of(Widget), "the class Widget has no fields"),
    (lambda: library.schema_of(str), "the class str has no fields"),
    (lambda: library.schema_of(Impossible), "no values for `name: text 5..3`"),
    (lambda: library.schema_of(WithWidget), "no line is known for Widget"),
    (lambda: library.schema_of(Home("a", "b")), "an instance of Home has no fields"),  # type: ignore[arg-type]
]  # fmt: skip


@pytest.mark.parametrize(("call", "told"), WRONG, ids=range(len(WRONG)))
def test_what_cannot_be_filled_is_named(call: Callable[[], Any], told: str) -> None:
    with pytest.raises(library.YurtError, match=told):
        call()


def test_what_cannot_be_filled_can_be_given() -> None:
    widget = Widget()
    assert library.instance(WithWidget, part=widget).part is widget
