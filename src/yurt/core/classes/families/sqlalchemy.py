"""Mapped classes of SQLAlchemy: columns with their types, and the objects that references point to."""

from __future__ import annotations

from datetime import date, datetime, time, timedelta
from decimal import Decimal
from typing import Annotated, Any, Optional
from uuid import UUID

from yurt.core.base.python_values import ModelClass, PythonValue
from yurt.core.classes.constraints import Constraints
from yurt.core.classes.family import ClassField, Family, by_keyword

# The types of columns, the most special one first, with the Python type of their values.
TYPES: dict[str, PythonValue] = {
    "Boolean": bool, "Integer": int, "Float": float, "Numeric": Decimal, "Date": date, "DateTime": datetime,
    "Time": time, "Interval": timedelta, "Uuid": UUID, "LargeBinary": bytes, "String": str,
}  # fmt: skip


def _matches(model: ModelClass) -> bool:
    return hasattr(model, "__mapper__") and hasattr(model, "__table__")


def _fields(model: ModelClass) -> list[ClassField]:
    from sqlalchemy import inspect

    mapper: Any = inspect(model)
    copied: dict[str, tuple[str, ...]] = {}
    related: list[ClassField] = []
    for each in mapper.relationships:
        if each.direction.name != "MANYTOONE":
            continue
        nullable = all(column.nullable for column in each.local_columns)
        target = each.mapper.class_
        related.append(ClassField(each.key, Optional[target] if nullable else target))  # noqa: UP045
        for local, remote in each.local_remote_pairs:
            own = mapper.get_property_by_column(local).key
            copied[own] = (each.key, each.mapper.get_property_by_column(remote).key)
    columns = [_column(each, copied) for each in mapper.column_attrs if len(each.columns) == 1]
    return [*related, *columns]


def _column(attribute: Any, copied: dict[str, tuple[str, ...]]) -> ClassField:
    column = attribute.columns[0]
    default = column.default is not None or column.server_default is not None
    if attribute.key in copied:
        return ClassField(attribute.key, Any, copied=copied[attribute.key])
    if column.foreign_keys:
        # Without a relationship there is no object that the key could be of.
        return ClassField(attribute.key, _Elsewhere, default=column.nullable or default)
    annotation, told = _typed(column.type, unique=bool(column.unique or column.primary_key))
    if column.primary_key and annotation is int:
        told = Constraints(line="sequence")
    if told.line is None and column.nullable:
        annotation = Optional[Annotated[annotation, told]]  # noqa: UP045
    return ClassField(attribute.key, annotation, told, default=column.nullable or default)


class _Elsewhere:
    """Stands for the key of a row that nobody makes."""


def _typed(column_type: Any, *, unique: bool) -> tuple[Any, Constraints]:
    names = [each.__name__ for each in type(column_type).__mro__]
    if "Enum" in names:
        options = column_type.enum_class or None
        if options is not None:
            return options, Constraints(unique=unique)
        return str, Constraints(options=tuple(column_type.enums), unique=unique)
    known = next((TYPES[name] for name in names if name in TYPES), Any)
    if known is str:
        return known, Constraints(max_length=column_type.length, unique=unique)
    if known is Decimal:
        if column_type.precision is None:
            return known, Constraints(unique=unique)
        places = column_type.scale or 0
        return known, Constraints(max_digits=column_type.precision, decimal_places=places, unique=unique)
    return known, Constraints(unique=unique)


FAMILY = Family("SQLAlchemy", _matches, _fields, by_keyword)
