"""The names of given values: fields by name or by title, nested records by path or as mappings."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from yurt.core.base.errors import UsageFault
from yurt.core.base.nearest import did_you_mean
from yurt.core.base.python_values import PythonValue
from yurt.core.model import Nested, Record


def by_field(record: Record, values: Mapping[str, PythonValue]) -> dict[str, PythonValue]:
    """Return values by the names of their fields. Raises UsageFault for a name that the record type does not have."""
    found: dict[str, PythonValue] = {}
    for path, value in _flat(record, record.by_column, values, ""):
        if path in found:
            raise UsageFault(f"`{path}` is given twice")
        found[path] = value
    return found


def _flat(
    record: Record, titles: Mapping[str, str], values: Mapping[str, PythonValue], above: str
) -> Iterator[tuple[str, Any]]:  # fmt: skip
    for told, value in values.items():
        path = f"{above}{told}"
        name = path if path in record.by_name else titles.get(path)
        if name is None:
            known = [each[len(above) :] for each in titles if each.startswith(above)]
            hint = did_you_mean(str(told), known) or "it has " + ", ".join(known[:12]) + (", …" if known[12:] else "")
            raise UsageFault(f"`{record.name}` has no field `{path}`; {hint}")
        if isinstance(record.by_name[name].head, Nested) and isinstance(value, Mapping):
            yield from _flat(record, titles, value, f"{path}.")
        else:
            yield name, value


def put(record: Record, row: dict[str, PythonValue], name: str, value: PythonValue) -> None:
    """Put the value of a field into a finished record."""
    *above, title = record.titles(name)
    inside = row
    for each in above:
        if not isinstance(inside.get(each), dict):
            inside[each] = {}
        inside = inside[each]
    inside[title] = value


def take_out(record: Record, row: dict[str, PythonValue], name: str) -> None:
    """Take a field out of a finished record."""
    *above, title = record.titles(name)
    inside: Any = row
    for each in above:
        inside = inside.get(each) if isinstance(inside, dict) else None
    if isinstance(inside, dict):
        inside.pop(title, None)
