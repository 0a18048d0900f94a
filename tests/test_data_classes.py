"""Our data classes, held against those of the standard library: the same bodies, the same behaviour."""

from __future__ import annotations

import copy
import dataclasses
import pickle
from collections.abc import Callable
from types import ModuleType
from typing import Any, ClassVar

import pytest

from yurt.core.base import data_classes

CASES: dict[str, Callable[[Any], Any]] = {
    "by position": lambda of: of.Stay("AB", 2),
    "by name": lambda of: of.Stay(hut="AB", nights=2, board="half"),
    "mixed": lambda of: of.Stay("AB", nights=3),
    "a default that a function makes": lambda of: (of.Stay("AB", 1).notes, of.Stay("AB", 1).notes is of.Stay("AB", 1).notes),
    "a class of a class": lambda of: of.Long("AB", 9, reason="snow"),
    "only by name": lambda of: of.Long("AB", 9, "half", [], "snow"),
    "too many": lambda of: of.Key(1, 2, 3),
    "too few": lambda of: of.Key(1),
    "an unknown name": lambda of: of.Key(1, 2, c=3),
    "one name for another": lambda of: of.Key(1, c=3),
    "equal": lambda of: (of.Key(1, 2) == of.Key(1, 2), of.Key(1, 2) == of.Key(2, 1), of.Key(1, 2) == (1, 2)),
    "of another class": lambda of: of.Stay("AB", 2) == of.Long("AB", 2, reason=""),
    "what is not compared": lambda of: of.Noted(1, "a") == of.Noted(1, "b"),
    "in a set": lambda of: len({of.Key(1, 2), of.Key(1, 2), of.Key(2, 1)}),
    "not in a set": lambda of: hash(of.Stay("AB", 1)),
    "shown": lambda of: (repr(of.Stay("AB", 2)), repr(of.Long("AB", 9, reason="x")), repr(of.Noted(1, "a"))),
    "changed": lambda of: of.module.replace(of.Stay("AB", 2), nights=5),
    "changed to nothing known": lambda of: of.module.replace(of.Key(1, 2), z=5),
    "as dictionaries": lambda of: of.module.asdict(of.Trip([of.Key(1, 2)], {"a": of.Key(3, 4)}, (of.Key(5, 6),))),
    "its fields": lambda of: [each.name for each in of.module.fields(of.Long)],
    "what is one": lambda of: [of.module.is_dataclass(each) for each in (of.Key, of.Key(1, 2), 5, int)],
    "protected": lambda of: setattr(of.Key(1, 2), "a", 5),
    "not protected": lambda of: (stay := of.Stay("AB", 2), setattr(stay, "nights", 7), stay.nights)[2],
    "prepared": lambda of: of.Sum(2, 3).total,
    "matched": lambda of: of.matched(of.Key(1, 2)),
    "a constant of the class": lambda of: (of.Stay.most, [each.name for each in of.module.fields(of.Stay)]),
    "copied": lambda of: copy.deepcopy(of.Stay("AB", 2)) == of.Stay("AB", 2),
}  # fmt: skip


def classes(module: Any) -> Any:
    """Return classes with the decorator of a module."""
    of: Any = ModuleType("of")
    of.module = module

    @module.dataclass
    class Stay:
        most: ClassVar[int] = 14
        hut: str
        nights: int
        board: str = "none"
        notes: list[str] = module.field(default_factory=list)

    @module.dataclass(kw_only=True)
    class Long(Stay):
        reason: str

    @module.dataclass(frozen=True)
    class Key:
        a: int
        b: int

    @module.dataclass(frozen=True)
    class Noted:
        a: int
        note: str = module.field(compare=False, repr=False)

    @module.dataclass(frozen=True)
    class Trip:
        keys: list[Any]
        by_name: dict[str, Any]
        fixed: tuple[Any, ...]

    @module.dataclass
    class Sum:
        a: int
        b: int

        def __post_init__(self) -> None:
            self.total = self.a + self.b

    def matched(value: Any) -> Any:
        match value:
            case Key(first, b=second):
                return first, second
        return None

    of.Stay, of.Long, of.Key, of.Noted, of.Trip, of.Sum, of.matched = Stay, Long, Key, Noted, Trip, Sum, matched
    return of


def outcome(case: Callable[[Any], Any], of: Any) -> tuple[str, Any]:
    """Return what comes of a case: the result in plain values, or the kind of fault."""
    try:
        found = case(of)
    except (TypeError, AttributeError) as fault:
        return "fault", TypeError if isinstance(fault, TypeError) else AttributeError
    return "result", repr(found).replace("classes.<locals>.", "")


@pytest.mark.parametrize("case", CASES.values(), ids=CASES)
def test_they_behave_as_those_of_the_standard_library(case: Callable[[Any], Any]) -> None:
    assert outcome(case, classes(data_classes)) == outcome(case, classes(dataclasses))


def test_instances_travel() -> None:
    from yurt.core.source.diagnostics import Span

    assert pickle.loads(pickle.dumps(Span(1, 2))) == Span(1, 2)
