"""How the settings of an output change the fields of a record type: which, in which order, and in which form.

The form of values is that of the clause `as`, so everything that knows `as` knows these settings as well.
"""

from __future__ import annotations

import re

from yurt.core.base.data_classes import replace
from yurt.core.base.errors import UsageFault
from yurt.core.base.nearest import did_you_mean
from yurt.core.base.types import Type
from yurt.core.formats.common.settings import Chosen
from yurt.core.formats.common.values import GROUP_CHARS
from yurt.core.model import Field, Record, Schema
from yurt.core.model.clauses import Shown


def dressed(schema: Schema, chosen: dict[str, Chosen]) -> Schema:
    """Return the schema with the fields that settings ask for; `chosen` has them by record type.

    Raises UsageFault for a field that does not exist, and for a form that a field cannot have.
    """
    records = {
        name: _formed(_fields(record, chosen.get(name, {})), schema, chosen.get(name, {}))
        for name, record in schema.records.items()
    }
    return replace(schema, records=records)


def _fields(record: Record, chosen: Chosen) -> Record:
    """Return the record type with the named fields in front, in their order; all others are helpers."""
    if not (told := chosen.get("fields", "").strip() or _of_layout(chosen.get("layout", ""))):
        return record
    top = {each.name: each for each in record.shown if record.list_around(each.name) in (None, each.name)}
    found: list[Field] = []
    for part in told.split(","):
        name, _, title = (each.strip() for each in re.sub(r"\s+as\s+", "\n", part.strip(), count=1).partition("\n"))
        if name not in top:
            listed = did_you_mean(name, top) or ", ".join(each for each in top if not top[each].parent)
            setting = "fields" if chosen.get("fields") else "layout"
            raise UsageFault(f"`{setting}`: `{record.name}` has no field `{name}`; {listed}")
        if any(each.name == name for each in found):
            raise UsageFault(f"`fields`: `{name}` occurs twice")
        own = replace(top[name], named=title, alone=bool(top[name].parent)) if title else top[name]
        # A field of a nested record comes with the records around it, but not with their other fields.
        parts = name.split(".")
        outer = [top[".".join(parts[:at])] for at in range(1, len(parts))]
        found += [each for each in outer if each not in found]
        found += [own, *(each for each in record.fields if each.name.startswith(f"{name}."))]
    titles = [each.title for each in found if not each.parent or each.alone]
    if doubled := [each for each in titles if titles.count(each) > 1]:
        raise UsageFault(f"`fields`: two fields of `{record.name}` are named `{doubled[0]}`")
    kept = {each.name for each in found}
    rest = [replace(each, helper=True) for each in record.fields if each.name not in kept]
    return replace(record, fields=(*found, *rest))


def _of_layout(layout: str) -> str:
    """Return the fields that have a place in a layout of fixed widths."""
    return ", ".join(dict.fromkeys(each.split()[0].partition(".")[0] for each in layout.split(",") if each.split()))


def _formed(record: Record, schema: Schema, chosen: Chosen) -> Record:
    """Return the record type whose fields have the form of the settings, where they have none of their own."""
    if "decimal-char" not in chosen:
        return record
    fields = []
    for each in record.fields:
        kind = schema.plan.types.get((record.name, each.name))
        pattern = _pattern(kind, chosen, f"{record.name}.{each.name}") if kind is not None else ""
        plain = each.shown is None and not each.helper
        fields.append(replace(each, shown=Shown(pattern)) if pattern and plain else each)
    return replace(record, fields=tuple(fields))


def _pattern(kind: Type, chosen: Chosen, where: str) -> str:
    """Return the pattern in which values of a type are written; empty for the standard form."""
    if kind.numeric:
        return _number(kind, chosen, where)
    if kind.name == "boolean":
        return "" if chosen["boolean-format"] == "true | false" else chosen["boolean-format"]
    return chosen.get(f"{kind.name}-format", "")


def _number(kind: Type, chosen: Chosen, where: str) -> str:
    point, group = chosen["decimal-char"], GROUP_CHARS[chosen["group-char"]]
    if point == "." and not group:
        return ""
    if point == group:
        raise UsageFault(f"`decimal-char` and `group-char` are both `{point}`")
    if kind.name == "real":
        if point == ".":
            return ""
        told = "a floating-point number has no certain number of places for `decimal-char`"
        raise UsageFault(f"{where}: {told}; round(…, 2) gives it one")
    if not kind.places and not group:
        return ""
    return (f"1{group}234" if group else "0") + (point + "0" * kind.places if kind.places else "")
