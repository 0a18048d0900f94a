"""From the annotation of a field to its part: single values, lists, unions, and classes inside."""

from __future__ import annotations

import types
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from collections.abc import Set as AbstractSet
from dataclasses import dataclass, replace
from enum import Enum
from typing import Annotated, Any, Literal, NewType, NotRequired, Required, TypeVar, Union, get_args, get_origin

from yurt.core.base.python_values import Annotation, Conversion, PythonValue
from yurt.core.classes.constraints import Constraints
from yurt.core.classes.part import MISSING, Part, Unfillable, same
from yurt.core.classes.simple import in_utc, simple

LISTS: dict[Any, Conversion] = {
    list: list, set: set, frozenset: frozenset, tuple: tuple, Sequence: list, Iterable: list, Collection: list,
    AbstractSet: set,
}  # fmt: skip
DISTINCT = (set, frozenset, AbstractSet)
MAPPINGS = (dict, Mapping)
LONGEST = 3
# A field that never has a value.
NOTHING = "text 1..1, missing 100%"


@dataclass(frozen=True)
class Context:
    """Where an annotation stands, and the classes around it."""

    where: str
    around: tuple[Annotation, ...]
    # Returns the part of a class with fields, or None for another class.
    of_class: Callable[[Any, Context], Part | None]

    @property
    def name(self) -> str:
        """The name of the field."""
        return self.where.rpartition(".")[2].partition("[")[0]

    def at(self, step: str) -> Context:
        """Return the context of an element."""
        return replace(self, where=self.where + step)


def part_of(annotation: Annotation, told: Constraints, context: Context) -> Part:
    """Return the part of an annotation. Raises Unfillable."""
    if told.line is not None:
        return _own_line(annotation, told)
    origin: Annotation = get_origin(annotation)
    arguments = get_args(annotation)
    if origin is Annotated:
        return part_of(arguments[0], told.with_metadata(arguments[1:]), context)
    if origin in (Required, NotRequired):
        return part_of(arguments[0], told, context)
    if isinstance(annotation, NewType):
        return part_of(annotation.__supertype__, told, context)
    if hasattr(annotation, "__value__") and not isinstance(annotation, type):
        return part_of(annotation.__value__, told, context)
    if origin in (Union, types.UnionType):
        return _union(arguments, told, context)
    if told.options is not None:
        return one_of(told.options)
    if origin is Literal:
        return one_of(arguments)
    if isinstance(annotation, type) and issubclass(annotation, Enum):
        return one_of(list(annotation))
    if (found := simple(annotation, context.name, told)) is not None:
        return found
    return _compound(annotation, origin, arguments, told, context)


def _compound(
    annotation: Annotation, origin: Annotation, arguments: tuple[Annotation, ...], told: Constraints, context: Context
) -> Part:
    plain = origin or annotation
    if plain is tuple and arguments and arguments[-1] is not Ellipsis:
        return _tuple(arguments, context)
    if plain in LISTS:
        inside = arguments[0] if arguments else str
        return _list(inside, LISTS[plain], told, context, distinct=plain in DISTINCT)
    if plain in MAPPINGS:
        return _mapping(*(arguments or (str, str)), context=context)
    if isinstance(annotation, TypeVar):
        raise Unfillable(context.where, f"the type variable {annotation} stands for no type")
    if (found := context.of_class(annotation, context)) is not None:
        return found
    if (base := _base(annotation, told, context)) is not None:
        return base
    raise Unfillable(context.where, f"no line is known for {getattr(annotation, '__name__', annotation)}")


def _base(annotation: Annotation, told: Constraints, context: Context) -> Part | None:
    """Return the part of a class of single values, such as a text with rules of its own."""
    named = getattr(annotation, "__name__", "")
    if named in ("AwareDatetime", "PastDatetime", "FutureDatetime", "NaiveDatetime"):
        return _relative(annotation, named, told, context)
    if named in ("PastDate", "FutureDate"):
        return Part("date today-1y..today-1d" if named == "PastDate" else "date 2100-01-01..2100-12-31")
    if named in TEXTS:
        return Part(TEXTS[named])
    if (
        isinstance(annotation, type)
        and issubclass(annotation, str | int | float)
        and annotation not in (str, int, float)
    ):
        own = next(each for each in (str, int, float) if issubclass(annotation, each))
        found = simple(own, context.name, told)
        return replace(found, build=annotation) if found is not None else None
    return None


# Classes of texts that a validating library makes, by name.
TEXTS = {
    "EmailStr": "email", "NameEmail": "email", "HttpUrl": "url", "AnyUrl": "url", "AnyHttpUrl": "url",
    "SecretStr": "password", "IPvAnyAddress": "ipv4",
}  # fmt: skip


def _relative(annotation: Annotation, named: str, told: Constraints, context: Context) -> Part:
    from datetime import datetime

    found = simple(datetime, context.name, told)
    assert found is not None
    if named == "PastDatetime":
        return replace(found, line="datetime today-1y..today-1d")
    if named == "FutureDatetime":
        return replace(found, line="datetime 2100-01-01..2100-12-31")
    return in_utc(found) if named == "AwareDatetime" else found


def _own_line(annotation: Annotation, told: Constraints) -> Part:
    build: Conversion = same
    origin: Annotation = get_origin(annotation)
    bare = get_args(annotation)[0] if origin is Annotated else annotation
    if bare is float:
        build = float
    assert told.line is not None
    return Part(told.line, build)


def one_of(values: Sequence[Any]) -> Part:
    """Return the part of listed values, which are drawn by their positions."""
    if not values:
        return Part("= null", lambda value: None, None)
    options = list(values)
    words = [str(each.name if isinstance(each, Enum) else each) for each in options]
    plain = all(isinstance(each, str | Enum) for each in options) and len(set(words)) == len(words)
    texts = words if plain else [str(at) for at in range(len(options))]
    by_text = dict(zip(texts, options, strict=True))

    def given(value: PythonValue) -> PythonValue:
        return next((text for text, each in by_text.items() if each == value), value)

    listed = " | ".join('"' + each.replace("\\", "\\\\").replace('"', '\\"') + '"' for each in texts)
    return Part(f"one of {listed}", lambda text: by_text.get(text, text), given, expected=" | ".join(words[:12]))


def _union(arguments: tuple[Annotation, ...], told: Constraints, context: Context) -> Part:
    """Return the part of a union: a missing value for None, and one of the others in turn."""
    present = [each for each in arguments if each is not type(None)]
    if len(present) == 1:
        try:
            found = part_of(present[0], told, context)
        except Unfillable:
            if len(arguments) == 1:
                raise
            # What refers to itself, or has no line, is left out where it may be.
            return Part(NOTHING, lambda value: None, None)
        return optional(found)
    return _one_arm(present, len(present) < len(arguments), told, context)


def optional(part: Part) -> Part:
    """Return a part whose value may be missing."""
    build = part.build

    def built(value: PythonValue) -> PythonValue:
        return None if value is None else build(value)

    return replace(part, clauses={**part.clauses, "missing": MISSING}, build=built)


def _one_arm(present: list[Annotation], missing: bool, told: Constraints, context: Context) -> Part:
    arms: list[Part] = []
    faults: list[Unfillable] = []
    for each in present:
        try:
            arms.append(part_of(each, told, context))
        except Unfillable as fault:
            faults.append(fault)
    if not arms:
        raise faults[0]
    if len(arms) == 1:
        return optional(arms[0]) if missing else arms[0]
    words = " | ".join(f'"{at}"' for at in range(len(arms)))
    inside = {"arm": f"one of {words}", **{f"arm_{at}": each.written for at, each in enumerate(arms)}}

    def build(value: PythonValue) -> PythonValue:
        at = int(value["arm"])
        return arms[at].build(value[f"arm_{at}"])

    whole = Part({"nested": inside}, build, None)
    return optional(whole) if missing else whole


def _list(inside: Annotation, make: Conversion, told: Constraints, context: Context, *, distinct: bool) -> Part:
    least = told.min_length or 0
    most = told.max_length if told.max_length is not None else max(LONGEST, least)
    try:
        element = part_of(inside, Constraints(), context.at("[]"))
    except Unfillable:
        if least:
            raise
        return Part(NOTHING, lambda value: make(()), None)
    if isinstance(element.line, str) and not element.line.startswith("list"):
        if distinct:
            most = min(most, _different(element.line))
        more = ", distinct" if distinct else ""

        def of_values(value: PythonValue) -> PythonValue:
            return make(element.build(each) for each in value or ())

        return Part(f"list {least}..{most} of {element.inside}{more}", of_values, None)
    plain = isinstance(element.line, dict) and "list" not in element.line and not element.clauses
    fields = element.line["nested"] if isinstance(element.line, dict) and plain else {"value": element.written}

    def of_records(value: PythonValue) -> PythonValue:
        return make(element.build(each if plain else each["value"]) for each in value or ())

    return Part({"list": f"{least}..{most}", "nested": fields}, of_records, None)


def _different(line: str) -> int:
    """Return how many different values a line has at most, if they are listed."""
    return 2 if line == "boolean" else line.count(" | ") + 1 if line.startswith("one of") else LONGEST


def _tuple(arguments: tuple[Annotation, ...], context: Context) -> Part:
    parts = [part_of(each, Constraints(), context.at(f"[{at}]")) for at, each in enumerate(arguments)]

    def build(value: PythonValue) -> PythonValue:
        return tuple(each.build(value[f"item_{at}"]) for at, each in enumerate(parts))

    return Part({"nested": {f"item_{at}": each.written for at, each in enumerate(parts)}}, build, None)


def _mapping(key: Annotation, value: PythonValue, *, context: Context) -> Part:
    keys = part_of(key, Constraints(), context.at("[]"))
    values = part_of(value, Constraints(), context.at("[]"))

    def build(found: PythonValue) -> PythonValue:
        return {keys.build(each["key"]): values.build(each["value"]) for each in found or ()}

    fields = {"key": keys.written, "value": values.written}
    return Part({"list": f"0..{LONGEST}", "nested": fields}, build, None)
