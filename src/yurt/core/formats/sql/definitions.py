"""The definition of a table: columns with types, keys, references, and the checks that ranges and lists give.

What SQL cannot check here (a range whose end is an expression, a pattern, a condition) is left to `yurt verify`.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from datetime import date, datetime, time
from decimal import Decimal
from types import MappingProxyType

import pyarrow as pa

from yurt.core.base.data_classes import dataclass
from yurt.core.base.data_classes import field as field_of
from yurt.core.base.types import BOOLEAN, DATE, DATETIME, INTEGER, REAL, TEXT, TIME, Type, decimal
from yurt.core.formats.sql.dialects import Dialect
from yurt.core.model import (
    Boolean,
    Bytes,
    DateTime,
    Derived,
    Field,
    KindOf,
    ListOf,
    Matching,
    OneOf,
    Ranged,
    Record,
    Reference,
)  # fmt: skip
from yurt.core.model.expressions import Binary, Expression, Literal, Name, Template, Unary

TYPES = (
    (pa.types.is_boolean, BOOLEAN), (pa.types.is_integer, INTEGER), (pa.types.is_floating, REAL),
    (pa.types.is_date, DATE), (pa.types.is_time, TIME), (pa.types.is_timestamp, DATETIME),
)  # fmt: skip


@dataclass
class Made:
    """The tables that there are so far: their names and keys, by record type."""

    tables: dict[str, str] = field_of(default_factory=dict)
    keys: dict[str, str] = field_of(default_factory=dict)


@dataclass(frozen=True)
class Definition:
    """The statements that make a table, and what they cannot promise, in words."""

    statements: tuple[str, ...]
    omitted: tuple[str, ...] = ()

    @property
    def script(self) -> str:
        """The statements as lines of a file, with what is omitted in comments."""
        told = "".join(f"-- {each}\n" for each in self.omitted)
        return told + "".join(f"{each};\n" for each in self.statements)


def key_of(record: Record) -> str:
    """Return the column that is the key of a record type; empty if it has none."""
    key = record.key
    # A unique column of an existing file may have gaps, which a key must not have.
    return record.column(key.name) if key is not None and not key.helper and not key.optional else ""


def definition(
    dialect: Dialect, record: Record, schema: pa.Schema, made: Made, *, table: str = "", numbered: str = "",
    widths: Mapping[str, int] = MappingProxyType({}), columns: Mapping[str, str] = MappingProxyType({}),
    constraints: Iterable[str] = (),
) -> Definition:  # fmt: skip
    """Return how the table of a record type is made.

    `schema` has its columns, `made` the tables in front of it, to which it is added. `numbered` is the key that the
    database counts itself, `widths` the largest numbers of characters of columns, where they are known.
    `columns` are the types of some columns and what follows them, `constraints` lines below the columns.
    """
    table = table or record.name
    by_title = {record.column(each.name): each for each in record.shown}
    key = key_of(record)
    made.tables[record.name] = table
    made.keys |= {record.name: key} if key in schema.names or numbered else {}
    lines = [
        f"{dialect.identifier(each.name)} {columns[each.name]}" if each.name in columns
        else _column(dialect, record, each, by_title.get(each.name), key, widths.get(each.name, 0)) for each in schema
    ]  # fmt: skip
    if numbered:
        lines.insert(0, f"{dialect.identifier(numbered)} {dialect.identity}")
    if key and (key in schema.names or numbered):
        lines.append(f"PRIMARY KEY ({dialect.identifier(key)})")
    omitted = []
    for title, each in by_title.items():
        if title not in schema.names or each.parent:
            continue
        if each.unique and title != key:
            lines.append(f"UNIQUE ({dialect.identifier(title)})")
        if isinstance(each.head, Reference):
            line, why = _reference(dialect, record, title, each.head.record, made)
            lines += [line] if line else []
            omitted += [f"{table}.{title}: {why}"] if why else []
    for group in record.unique:
        names = [record.column(each) for each in group]
        if all(each in schema.names for each in names):
            lines.append(f"UNIQUE ({', '.join(map(dialect.identifier, names))})")
    inside = ",\n  ".join([*lines, *constraints])
    return Definition((f"CREATE TABLE {dialect.identifier(table)} (\n  {inside}\n){dialect.table}",), tuple(omitted))


def _reference(dialect: Dialect, record: Record, title: str, other: str, made: Made) -> tuple[str, str]:
    """Return the constraint of a reference, or why there is none."""
    if other not in made.keys:
        return "", f"the keys of {other} are in no table in front of this one, so the reference is not enforced"
    if other == record.name and not dialect.refers_to_itself:
        return "", f"{dialect.name} takes no references inside one table, so it is not enforced"
    own, key = dialect.identifier(title), dialect.identifier(made.keys[other])
    return f"FOREIGN KEY ({own}) REFERENCES {dialect.identifier(made.tables[other])} ({key})", ""


def column_type(kind: pa.DataType, field: Field | None) -> tuple[str, int]:
    """Return the type of a column, as a word for the types of dialects, and its number of decimal places."""
    if field is not None and isinstance(field.head, DateTime) and field.head.zone is not None:
        return "zoned", 0
    found = type_of(kind)
    return found.name, found.places


def _column(
    dialect: Dialect, record: Record, column: pa.Field, field: Field | None, key: str, width: int
) -> str:  # fmt: skip
    kind, places = column_type(column.type, field)
    keyed = field is not None and (column.name == key or field.unique or isinstance(field.head, Reference))
    told = f"{dialect.identifier(column.name)} {dialect.type_of(kind, places, keyed, width)}"
    if field is None:
        return told
    told += " NOT NULL" if column.name == key or not may_miss(record, field) else ""
    check = check_of(dialect, column.name, field)
    return told + (f" CHECK ({check})" if check else "")


def may_miss(record: Record, field: Field) -> bool:
    """Return whether a value may be missing: by a clause, by a condition, or because it follows from others."""
    if field.optional or field.present_if is not None or field.parent or any(each.missing for each in field.phrases):
        return True
    head = field.head
    if isinstance(head, Ranged):
        return not all(_never_null(record, end, field.name) for end in (head.range.low, head.range.high))
    if isinstance(head, Derived):
        return not isinstance(head.expression, Template)
    if isinstance(head, Reference):
        return head.record == record.name
    return not (isinstance(head, OneOf | Matching | Boolean | Bytes | KindOf | ListOf) or field.always_unique)


def _never_null(record: Record, end: Expression, inside: str) -> bool:
    """Return whether an end of the range of a field has a value in every row, as far as is easily seen."""
    if isinstance(end, Literal):
        return end.value is not None
    if isinstance(end, Unary):
        return _never_null(record, end.operand, inside)
    if isinstance(end, Binary) and end.operator in ("+", "-", "*"):
        return all(_never_null(record, each, inside) for each in (end.left, end.right))
    if not isinstance(end, Name) or end.name == inside:
        return False
    field = record.by_name.get(end.name)
    return end.name in ("today", "now") if field is None else not may_miss(record, field)


def check_of(dialect: Dialect, title: str, field: Field) -> str:
    """Return the condition that a range or a list gives; empty if it is not the same in all rows."""
    head, name = field.head, dialect.identifier(title)
    if isinstance(head, Ranged):
        low, high = (_literal(end) for end in (head.range.low, head.range.high))
        if low and high and not (isinstance(head, DateTime) and head.zone):
            return f"{name} BETWEEN {low} AND {high}"
    if isinstance(head, OneOf) and all(isinstance(each, str) for each in head.values) and field.shown is None:
        return f"{name} IN ({', '.join(quoted(dialect, str(each)) for each in head.values)})"
    return ""


def _literal(expression: object) -> str:
    """Return a constant of the schema as SQL; empty for anything else."""
    value = expression.value if isinstance(expression, Literal) else None
    if isinstance(value, bool) or value is None:
        return ""
    if isinstance(value, int | Decimal):
        return str(value)
    return f"'{value.isoformat()}'" if isinstance(value, datetime | date | time) else ""


def quoted(dialect: Dialect, text: str) -> str:
    """Return a text as a literal."""
    for char, escape in dialect.escapes:
        text = text.replace(char, escape)
    return f"'{text}'"


def type_of(kind: pa.DataType) -> Type:
    """Return the type of the values of an Arrow column."""
    if pa.types.is_decimal(kind):
        return decimal(kind.scale)
    for test, found in TYPES:
        if test(kind):
            return found
    return TEXT
