"""The functions of expressions: arguments, results, and meaning.

`functions.json` is generated from the functions themselves in `yurt.core.columns.functions`.
"""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path

from yurt.core.base.data_classes import dataclass
from yurt.core.base.json_object import JsonObject
from yurt.core.base.types import BOOLEAN, DATE, DATETIME, INTEGER, NESTED, NULL, REAL, TEXT, TIME, Type, decimal, unify
from yurt.core.model.expressions import Expression, Literal
from yurt.core.text import display

MAX_ROUNDING = 12
Gives = Callable[[list[Type], tuple[Expression, ...]], Type | None]


@dataclass(frozen=True)
class Function:
    """A function.

    `takes` are type families; `any` fits all, `constant` is a literal text and `literal` a literal number, `field` a
    field of the record. The last may repeat if `most` is larger. `example` is a complete call, `result` what it gives.
    """

    name: str
    group: str
    takes: tuple[str, ...]
    gives: Gives
    meaning: str
    example: str
    least: int
    most: int
    result: str

    @property
    def shape(self) -> str:
        """The form of a call."""
        names = {"constant": '"…"', "literal": "n"}
        return f"{self.name}({', '.join(names.get(each, each) for each in self.takes)})"


def search(word: str) -> list[Function]:
    """Return the functions with the word in their name, group, or meaning; those with it in the name come first."""
    wanted = word.casefold()
    found = [each for each in FUNCTIONS.values() if wanted in f"{each.name} {each.group} {each.meaning}".casefold()]
    return sorted(found, key=lambda each: wanted not in each.name)


def _same(types: list[Type], _arguments: tuple[Expression, ...]) -> Type:
    return types[0]


def _common(types: list[Type], _arguments: tuple[Expression, ...]) -> Type | None:
    found: Type | None = NULL
    for each in types:
        found = unify(found, each) if found is not None else None
    return found


def _rounded(types: list[Type], arguments: tuple[Expression, ...]) -> Type | None:
    """`round` must know its places in advance, because they are part of the type."""
    if len(arguments) == 1:
        return INTEGER
    places = arguments[1].value if isinstance(arguments[1], Literal) else None
    if type(places) is not int or not 0 <= places <= MAX_ROUNDING:
        return None
    return decimal(places) if places else INTEGER


def _formatted(types: list[Type], arguments: tuple[Expression, ...]) -> Type | None:
    """A pattern must fit the values, as in the clause `as`."""
    try:
        display.check(str(getattr(arguments[1], "value", "")), types[0])
    except display.NotShown:
        return None
    return TEXT


def _of_values(gives: Type) -> Gives:
    """Lists of records have no values to join or compare."""
    return lambda types, _arguments: None if types[0].of == NESTED else gives


def _summed(types: list[Type], _arguments: tuple[Expression, ...]) -> Type | None:
    """Sums are exact, so there is none of floating-point numbers."""
    return types[0] if types[0].name in ("integer", "decimal", "days", "duration") else None


# How the type of the result follows from those of the arguments; the name of a type stands for itself.
GIVES: dict[str, Gives] = {
    "first": _same, "common": _common, "rounded": _rounded, "formatted": _formatted, "summed": _summed,
    "text of values": _of_values(TEXT), "boolean of values": _of_values(BOOLEAN),
}  # fmt: skip
PLAIN = {each.name: each for each in (BOOLEAN, DATE, DATETIME, INTEGER, REAL, TEXT, TIME)}
# Functions of a row's siblings, which look at other rows.
OF_SIBLINGS = ("ordinal", "previous", "running")


def _entry(name: str, entry: JsonObject) -> Function:
    rule = entry["gives"]
    plain = PLAIN.get(rule)
    gives = GIVES[rule] if plain is None else lambda _types, _arguments: plain
    return Function(
        name, entry["group"], tuple(entry["takes"].split()), gives, entry["meaning"], entry["example"], entry["least"],
        entry["most"], entry["result"],
    )  # fmt: skip


INDEX = Path(__file__).with_name("functions.json")
FUNCTIONS = {name: _entry(name, entry) for name, entry in json.loads(INDEX.read_text("utf-8")).items()}
