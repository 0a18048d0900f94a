"""Examples of the kinds of the catalogue from the engine itself, and the number of values."""

from __future__ import annotations

from datetime import date

from yurt.core.base.json_object import JsonObject
from yurt.core.engine.blocks import block
from yurt.core.engine.run import Run
from yurt.core.heads.head import ENDLESS, NotUnique
from yurt.core.heads.registry import cardinality
from yurt.core.kinds.catalogue import KINDS, Kind
from yurt.core.language.reader import read
from yurt.core.model import Field, Schema
from yurt.core.source.diagnostics import Source
from yurt.core.text.forms import text_of

SEED = 7
TODAY = date(2026, 6, 1)


def _schema(names: list[str], locale: str, rows: int, clause: str = "") -> Schema:
    lines = "".join(f"      f{number}: {name}{_alone(name)}{clause}\n" for number, name in enumerate(names))
    head = f"yurt: 1\nlocale: {locale}\nseed: {SEED}\ntoday: {TODAY}\nrecords:\n  example:\n    count: {rows}\n"
    schema, _ = read(Source("example", f"{head}    fields:\n{lines}"))
    return schema


def _alone(name: str) -> str:
    """Return the clause that keeps a kind from changing the examples of the others, if it would."""
    return " of its_own" if any(each.implied for each in KINDS[name].parameters.values()) else ""


def examples(names: list[str], locale: str, rows: int) -> dict[str, list[str]]:
    """Return some values of each kind, as texts."""
    batch = block(Run(_schema(names, locale, rows)), "example", 0, rows)
    columns = {name: batch.column(f"f{number}") for number, name in enumerate(names)}
    return {
        name: [_in_words(each) for each in column.to_pylist()] if KINDS[name].record else text_of(column).to_pylist()
        for name, column in columns.items()
    }


def _in_words(record: JsonObject) -> str:
    """Return a record on one line: its values, without their names."""
    return ", ".join(
        "…" if isinstance(each, list | dict) else str(each) for each in record.values() if each is not None
    )


def _field(kind: Kind) -> tuple[Field, Schema]:
    schema = _schema([kind.name], "en-GB", 1)
    return schema.records["example"].fields[0], schema


def room(kind: Kind) -> int:
    """Return the number of different values of a kind if it is unique; 0 if it cannot be."""
    if not kind.phrase:
        return kind.unique if not kind.record else 0
    try:
        found = cardinality(*_of(kind))
    except NotUnique:
        return 0
    return found if found < ENDLESS else 0


def _of(kind: Kind) -> tuple[Field, date, Schema]:
    field, schema = _field(kind)
    return field, TODAY, schema
