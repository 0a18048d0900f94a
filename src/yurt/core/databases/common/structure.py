"""The structure of an existing table, and whether the rows of a record type fit in it."""

from __future__ import annotations

from collections.abc import Mapping

import pyarrow as pa

from yurt.core.base.data_classes import dataclass
from yurt.core.base.nearest import nearest
from yurt.core.formats.sql.definitions import column_type
from yurt.core.model import Field, Record, Reference

# The types of columns that hold each type of values. SQLite has no types of its own for times.
HOLD = {
    "integer": ("integer", "decimal", "real", "text"),
    "decimal": ("decimal", "real", "text"),
    "real": ("real", "text"),
    "text": ("text",),
    "boolean": ("boolean", "text"),
    "date": ("date", "datetime", "zoned", "text"),
    "time": ("time", "text"),
    "datetime": ("datetime", "text"),
    "zoned": ("zoned", "text"),
}


@dataclass(frozen=True)
class Column:
    """A column: its type in SQL, and the type of its values (a word of `HOLD`, or `other`)."""

    name: str
    told: str
    type: str
    required: bool
    # Whether the database has a value for a row that brings none.
    filled: bool = False
    # The number of decimal places, or of characters, that it holds; None without a limit.
    limit: int | None = None
    # The value for a row that brings none, as the database writes it; empty if there is none.
    default: str = ""


@dataclass(frozen=True)
class Foreign:
    """A reference of some columns to a table."""

    columns: tuple[str, ...]
    table: str


@dataclass(frozen=True)
class Structure:
    """A table. `unique` are the groups of columns whose values do not repeat, the primary key among them."""

    table: str
    columns: dict[str, Column]
    unique: tuple[tuple[str, ...], ...] = ()
    foreign: tuple[Foreign, ...] = ()
    primary: tuple[str, ...] = ()


def reflected(name: str, database: str) -> str:
    """Return a name as it is: for MySQL and MariaDB, SQLAlchemy leaves the quotes doubled that stand in it."""
    return name.replace("``", "`") if database in ("mysql", "mariadb") else name


def structure_of(table: str, record: Record, columns: pa.Schema) -> Structure:
    """Return a table that is made for the rows of a record type."""
    by_title = {record.column(each.name): each for each in record.shown}
    found = {}
    for each in columns:
        word, _ = column_type(each.type, by_title.get(each.name))
        found[each.name] = Column(each.name, word, word, required=False)
    return Structure(table, found)


def misfits(
    structure: Structure, record: Record, columns: pa.Schema, tables: Mapping[str, str], *, numbered: str = ""
) -> list[str]:
    """Return why rows do not fit in a table, one sentence for each reason; empty if they fit.

    `columns` are those of the rows, `tables` the tables of the record types, and `numbered` the column that the
    database fills itself.
    """
    where = f"table `{structure.table}`"
    by_title = {record.column(each.name): each for each in record.shown}
    found = []
    for each in columns:
        own = structure.columns.get(each.name)
        if own is None:
            near = nearest(each.name, structure.columns)
            found.append(f"{where} has no column `{each.name}`" + (f"; did you mean `{near}`?" if near else ""))
            continue
        field = by_title.get(each.name)
        if own.required and field is not None and _misses(field):
            found.append(f"{where}: `{each.name}` must have a value, but the field may be missing")
        kind, places = column_type(each.type, field)
        if own.type not in HOLD[kind]:
            found.append(f"{where}: `{each.name}` is {own.told}, but the field is {_a(kind)}")
        elif kind == "decimal" and own.type == "decimal" and own.limit is not None and own.limit < places:
            found.append(f"{where}: `{each.name}` is {own.told}, but the field has {places} decimal places")
    for name, own in structure.columns.items():
        if name not in columns.names and own.required and not own.filled:
            found.append(f"{where}: `{name}` must have a value, but the record type has no such field")
        if name == numbered and not own.filled:
            found.append(f"{where}: `{name}` is not a column that the database numbers")
    titles = {record.column(each.name) for each in record.shown if each.never_repeats}
    groups = [frozenset(record.column(name) for name in group) for group in record.unique]
    for group in structure.unique:
        inside = set(group) <= set(columns.names)
        if inside and not set(group) & titles and not any(each <= set(group) for each in groups):
            listed = ", ".join(f"`{each}`" for each in group)
            found.append(f"{where}: {listed} must not repeat, but the schema lets the values repeat")
    for link in structure.foreign:
        if len(link.columns) == 1 and (linked := by_title.get(link.columns[0])) is not None:
            referred = tables.get(linked.head.record) if isinstance(linked.head, Reference) else None
            if referred != link.table:
                found.append(f"{where}: `{link.columns[0]}` refers to table `{link.table}`, but the field does not")
    return found


def _misses(field: Field) -> bool:
    """Return whether the schema itself says that a value may be missing."""
    return field.optional or field.present_if is not None or any(each.missing for each in field.phrases)


def _a(kind: str) -> str:
    return {
        "integer": "an integer", "real": "a real number", "zoned": "a datetime with a zone", "boolean": "Boolean"
    }.get(kind, f"a {kind}")  # fmt: skip
