"""Classes that document themselves by JSON Schema: `__json_schema__`, or a class method `json_schema`."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date, datetime, time
from typing import Any, Literal, Optional, Union
from uuid import UUID

from yurt.core.base.errors import UsageFault
from yurt.core.base.python_values import ModelClass, PythonValue
from yurt.core.classes.constraints import Constraints
from yurt.core.classes.family import ClassField, Family, by_keyword

KEYWORDS = {
    "minimum": "ge", "exclusiveMinimum": "gt", "maximum": "le", "exclusiveMaximum": "lt", "multipleOf": "multiple_of",
    "minLength": "min_length", "maxLength": "max_length", "minItems": "min_length", "maxItems": "max_length",
    "pattern": "pattern", "format": "format",
}  # fmt: skip
TYPES: dict[str, PythonValue] = {
    "integer": int, "number": float, "boolean": bool, "string": str, "null": type(None), "array": list, "object": dict,
}  # fmt: skip
FORMATS: dict[str, PythonValue] = {"date": date, "date-time": datetime, "time": time, "uuid": UUID}
DEEPEST = 20


def _matches(model: ModelClass) -> bool:
    return any(hasattr(model, name) for name in ("__json_schema__", "json_schema"))


def _document(model: ModelClass) -> Mapping[str, PythonValue]:
    told = getattr(model, "__json_schema__", None) or model.json_schema
    found = told() if callable(told) else told
    if not isinstance(found, Mapping) or not isinstance(found.get("properties"), Mapping):
        raise UsageFault(f"{model.__qualname__}: its JSON Schema describes no object with `properties`")
    return found


def _fields(model: ModelClass) -> list[ClassField]:
    whole = _document(model)
    required = set(whole.get("required", ()))
    fields = []
    for name, each in whole["properties"].items():
        annotation, told = _typed(each, whole, 0)
        fields.append(ClassField(name, annotation, told, absent=name not in required))
    return fields


def _typed(part: PythonValue, whole: Mapping[str, PythonValue], depth: int) -> tuple[Any, Constraints]:
    """Return the annotation and the constraints of a subschema; a word that cannot be followed makes it fillable by
    nobody.
    """
    if not isinstance(part, Mapping) or depth > DEEPEST:
        return Any, Constraints()
    if "$ref" in part:
        return _typed(_resolved(str(part["$ref"]), whole), whole, depth + 1)
    if "const" in part:
        return Literal[part["const"]], Constraints()
    if "enum" in part:
        return str, Constraints(options=tuple(part["enum"]))
    arms = part.get("anyOf") or part.get("oneOf")
    if arms:
        from typing import Annotated

        found = [_typed(each, whole, depth + 1) for each in arms]
        return Union[tuple(Annotated[kind, told] for kind, told in found)], Constraints()  # noqa: UP007
    told = Constraints(**{name: part[word] for word, name in KEYWORDS.items() if word in part})
    kinds = part.get("type")
    if isinstance(kinds, list):
        present = [TYPES.get(each, Any) for each in kinds if each != "null"]
        kind = present[0] if len(present) == 1 else Union[tuple(present)]  # noqa: UP007
        return (Optional[kind] if "null" in kinds else kind), told  # noqa: UP045
    kind = TYPES.get(str(kinds), Any)
    if kind is str and told.format in FORMATS:
        return FORMATS[told.format], told
    if kind is list and "items" in part:
        from typing import Annotated

        inner, inside = _typed(part["items"], whole, depth + 1)
        return list[Annotated[inner, inside]], told  # type: ignore[valid-type]
    if kind is dict:
        return (_object(part, whole), told) if part.get("properties") else (dict[str, str], told)
    return kind, told


def _object(part: Mapping[str, PythonValue], whole: Mapping[str, PythonValue]) -> PythonValue:
    """Return a class for an object inside, whose instances are dicts."""
    document = {**part, "$defs": whole.get("$defs", {}), "definitions": whole.get("definitions", {})}
    return type(str(part.get("title", "object")), (dict,), {"__json_schema__": document})


def _resolved(reference: str, whole: Mapping[str, PythonValue]) -> PythonValue:
    if not reference.startswith("#/"):
        return None
    found: PythonValue = whole
    for step in reference[2:].split("/"):
        step = step.replace("~1", "/").replace("~0", "~")
        found = found.get(step) if isinstance(found, Mapping) else None
    return found


FAMILY = Family("JSON Schema", _matches, _fields, by_keyword)
