"""The definition of a table: columns with types, keys, references, and the checks that ranges and lists give.

What SQL cannot check here (a range whose end is an expression, a pattern, a condition) is left to `yurt verify`.
"""

from __future__ import annotations

from datetime import date, datetime, time
from decimal import Decimal

import pyarrow as pa

from yurt.core.base.types import BOOLEAN, DATE, DATETIME, INTEGER, REAL, TEXT, TIME, Type, decimal
from yurt.core.formats.sql.dialects import Dialect
from yurt.core.model import DateTime, Field, OneOf, Ranged, Record, Reference
from yurt.core.model.expressions import Literal

TYPES = (
    (pa.types.is_boolean, BOOLEAN), (pa.types.is_integer, INTEGER), (pa.types.is_floating, REAL),
    (pa.types.is_date, DATE), (pa.types.is_time, TIME), (pa.types.is_timestamp, DATETIME),
)  # fmt: skip


def definition(dialect: Dialect, record: Record, schema: pa.Schema, keys: dict[str, str]) -> str:
    """Return the statement that makes the table of a record type.

    `keys` are those of the tables in front of it, to which its own is added. A reference to any other table is only
    told in a comment.
    """
    by_title = {".".join(record.titles(each.name)): each for each in record.shown}
    lines = []
    key = ".".join(record.titles(record.key.name)) if record.key is not None and not record.key.helper else ""
    for column in schema:
        field = by_title.get(column.name)
        lines.append(_column(dialect, column, field, key))
    told = ""
    if key:
        keys[record.name] = key
        lines.append(f"PRIMARY KEY ({dialect.identifier(key)})")
    for title, field in by_title.items():
        if title not in schema.names or field.parent:
            continue
        if field.unique and title != key:
            lines.append(f"UNIQUE ({dialect.identifier(title)})")
        if isinstance(field.head, Reference) and field.head.record in keys:
            own, other = dialect.identifier(title), dialect.identifier(keys[field.head.record])
            lines.append(f"FOREIGN KEY ({own}) REFERENCES {dialect.identifier(field.head.record)} ({other})")
        elif isinstance(field.head, Reference):
            told += f"-- {title} holds keys of {field.head.record}, which is not in this file\n"
    for group in record.unique:
        names = [".".join(record.titles(each)) for each in group]
        if all(each in schema.names for each in names):
            lines.append(f"UNIQUE ({', '.join(map(dialect.identifier, names))})")
    inside = ",\n  ".join(lines)
    return f"{told}CREATE TABLE {dialect.identifier(record.name)} (\n  {inside}\n);\n"


def _column(dialect: Dialect, column: pa.Field, field: Field | None, key: str) -> str:
    kind = type_of(column.type)
    zoned = field is not None and isinstance(field.head, DateTime) and field.head.zone is not None
    kind = DATETIME if zoned else kind
    keyed = field is not None and (column.name == key or field.unique or isinstance(field.head, Reference))
    told = f"{dialect.identifier(column.name)} {dialect.type_of(kind, zoned, keyed)}"
    if field is None:
        return told
    told += "" if _may_miss(field) else " NOT NULL"
    check = _check(dialect, column.name, field)
    return told + (f" CHECK ({check})" if check else "")


def _may_miss(field: Field) -> bool:
    """Return whether a value may be missing: by a clause, by a condition, or because it follows from others."""
    plain = all(not phrase.missing for phrase in field.phrases)
    own = isinstance(field.head, Ranged | OneOf | Reference) or field.always_unique
    return bool(field.optional or field.present_if is not None or field.parent or not plain or not own)


def _check(dialect: Dialect, title: str, field: Field) -> str:
    """Return the condition that a range or a list gives; empty if it is not the same in all rows."""
    head, name = field.head, dialect.identifier(title)
    if isinstance(head, Ranged) and field.phrases[0].outliers == 0:
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
