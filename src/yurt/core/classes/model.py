"""A model class as a schema with one record type, and instances made of its records."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, replace

import yaml

from yurt.core.base.errors import UsageFault, YurtError
from yurt.core.base.nearest import did_you_mean
from yurt.core.base.python_values import Annotation, Conversion, ModelClass, PythonValue
from yurt.core.classes.annotations import Context, part_of
from yurt.core.classes.constraints import Constraints
from yurt.core.classes.families import families, family_of
from yurt.core.classes.family import ClassField, Family
from yurt.core.classes.part import MISSING, Part, Unfillable
from yurt.core.given.records import ValueFault
from yurt.core.given.values import shown
from yurt.core.language.reader import read
from yurt.core.model import Schema
from yurt.core.model.words import NOW_NAMES, RESERVED
from yurt.core.source.diagnostics import SchemaFault, Source

COUNT = 1_000_000
TODAY = "2026-01-01"
# The kinds whose values may be unique.
UNIQUE = ("email", "username", "url")
PLAIN = re.compile(r"[^\W\d]\w*")


class _Absent:
    """A key that the object does not have."""


ABSENT = _Absent()


@dataclass(frozen=True)
class _Filled:
    """A field of a class with its part, and its name in the schema."""

    field: ClassField
    part: Part
    name: str


class Model:
    """The fields of a class, and what makes its instances."""

    def __init__(self, model: ModelClass, family: Family, context: Context) -> None:
        self.model, self.family = model, family
        self.fields = family.fields(model)
        self.by_name = {each.name: each for each in self.fields}
        self.filled: dict[str, _Filled] = {}
        # The fields that nothing fills, with the reason; they must be given.
        self.unfilled: dict[str, Unfillable] = {}
        used: set[str] = set()
        for each in self.fields:
            if each.copied:
                continue
            inner = replace(context, where=f"{context.where}.{each.name}", around=(*context.around, model))
            try:
                part = part_of(each.annotation, each.told, inner)
                part = _unique(part, inner.where) if each.told.unique and each.told.line is None else part
            except Unfillable as fault:
                if not each.default and not each.absent:
                    self.unfilled[each.name] = fault
                continue
            if each.absent:
                part = replace(part, clauses={**part.clauses, "missing": MISSING}, build=_absent_or(part.build))
            self.filled[each.name] = _Filled(each, part, _field_name(each.name, used))

    @property
    def lines(self) -> dict[str, PythonValue]:
        """The fields as a schema has them."""
        return {each.name: each.part.written for each in self.filled.values()} or {"nothing_": "boolean"}

    def built(
        self, row: Mapping[str, PythonValue], values: Mapping[str, PythonValue], invalid: bool = False
    ) -> PythonValue:
        """Return an instance with the values of a record, and with given ones instead."""
        found: dict[str, PythonValue] = {}
        for name, filled in self.filled.items():
            if name not in values:
                found[name] = filled.part.build(row[filled.name])
        found |= values
        for each in self.fields:
            if each.copied and each.name not in values:
                found[each.name] = _copied(found, each.copied)
        keys = {each.name: each.key or each.name for each in self.fields}
        return self.family.make(
            self.model, {keys[name]: value for name, value in found.items() if value is not ABSENT}, invalid
        )

    def given(self, values: Mapping[str, PythonValue], allow_invalid: bool) -> dict[str, PythonValue]:
        """Return the given values that others can follow from, by their names in the schema. Raises UsageFault."""
        found: dict[str, PythonValue] = {}
        for name, value in values.items():
            if name not in self.by_name:
                hint = did_you_mean(name, self.by_name) or "it has " + ", ".join(list(self.by_name)[:12])
                raise UsageFault(f"`{self.model.__qualname__}` has no field `{name}`; {hint}")
            if name not in self.filled:
                continue
            part = self.filled[name].part
            fits = value is None or not part.accepts or isinstance(value, part.accepts)
            if (
                fits
                and isinstance(value, bool)
                and part.accepts
                and bool not in part.accepts
                and object not in part.accepts
            ):
                fits = False
            if not allow_invalid:
                self._check(name, value, part, fits)
            if fits and part.given is not None and value is not None:
                found[self.filled[name].name] = part.given(value)
        return found

    def _check(self, name: str, value: PythonValue, part: Part, fits: bool) -> None:
        told = _all_constraints(self.by_name[name])
        broken = ("type", part.expected) if not fits and part.expected else told.broken(value)
        if broken is not None:
            raise ValueFault(self.model.__qualname__, name, broken[0], shown(value), broken[1])


def _unique(part: Part, where: str) -> Part:
    """Return a part whose values never repeat. Raises Unfillable."""
    line = part.line if isinstance(part.line, str) else ""
    if line == "uuid":
        return part
    if part.accepts == (int,):
        return replace(part, line="sequence")
    if part.accepts == (str,):
        most = re.search(r"\{0,(\d+)\}", line)
        unique = line if line.startswith(("text", "/", *UNIQUE)) else f"text {f'8..{most[1]}' if most else '8..20'}"
        return replace(part, line=unique, clauses={**part.clauses, "unique": ""})
    raise Unfillable(where, "its values must be unique, and no line is known for that")


def _all_constraints(field: ClassField) -> Constraints:
    from typing import Annotated, get_args, get_origin

    told, annotation = field.told, field.annotation
    while True:
        if get_origin(annotation) is Annotated:
            annotation, *metadata = get_args(annotation)
            told = told.with_metadata(metadata)
            continue
        present = [each for each in get_args(annotation) if each is not type(None)]
        if type(None) in get_args(annotation) and len(present) == 1:
            annotation = present[0]
            continue
        return told


def _absent_or(build: Conversion) -> Conversion:
    return lambda value: ABSENT if value is None else build(value)


def _copied(found: Mapping[str, PythonValue], path: tuple[str, ...]) -> PythonValue:
    owner = found.get(path[0])
    return getattr(owner, path[1], None) if owner is not None else None


def _field_name(name: str, used: set[str]) -> str:
    """Return the name of a field in the schema: its own, unless the language has another meaning for it."""
    found = re.sub(r"\W+", "_", name).strip("_") or "field"
    found = found if PLAIN.fullmatch(found) else f"field_{found}"
    if found in RESERVED or found in NOW_NAMES:
        found += "_"
    while found in used:
        found += "_"
    used.add(found)
    return found


def model_of(model: ModelClass) -> Model:
    """Return the fields of a class. Raises UsageFault for what is no model class."""
    family = family_of(model)
    if family is None:
        known = ", ".join(each.name for each in families())
        what = (
            f"an instance of {type(model).__name__}"
            if not isinstance(model, type)
            else f"the class {model.__qualname__}"
        )
        raise UsageFault(f"{what} has no fields that Yurt can read; known are {known}")
    return Model(model, family, Context(model.__qualname__, (), _of_class))


def _of_class(annotation: Annotation, context: Context) -> Part | None:
    """Return the part of a class inside another one."""
    family = family_of(annotation)
    if family is None:
        return None
    if annotation in context.around:
        raise Unfillable(context.where, f"{annotation.__qualname__} contains itself")
    inner = Model(annotation, family, context)
    if inner.unfilled:
        raise next(iter(inner.unfilled.values()))
    return Part({"nested": inner.lines}, lambda row: inner.built(row, {}), None)


def schema_text(model: Model) -> str:
    """Return the schema of a class as text, with one record type."""
    fields = {
        "yurt": 1,
        "today": TODAY,
        "seed": 1,
        "records": {_name_of(model): {"count": COUNT, "fields": model.lines}},
    }
    text: str = yaml.safe_dump(fields, sort_keys=False, allow_unicode=True, width=float("inf"))
    return text.replace(f"today: '{TODAY}'", f"today: {TODAY}")


def _name_of(model: Model) -> str:
    return re.sub(r"(?<=[a-z0-9])(?=[A-Z])|\W+", "_", model.model.__name__).lower().strip("_")


def schema_of(model: Model) -> Schema:
    """Return the schema of a class. Raises YurtError for constraints that no line can follow."""
    try:
        return read(Source(model.model.__qualname__, schema_text(model)))[0]
    except SchemaFault as fault:
        told = fault.diagnostics[0]
        line = fault.source.line(fault.source.line_and_column(told.span.start)[0]).strip()
        raise YurtError(f"{model.model.__qualname__}: no values for `{line}`: {told.message}") from None
