"""The structure of a table as SQLAlchemy finds it."""

from __future__ import annotations

import re
from collections.abc import Iterable

from sqlalchemy import Engine, inspect, types
from sqlalchemy.dialects.mysql import TINYINT
from sqlalchemy.engine.interfaces import ReflectedColumn
from sqlalchemy.exc import CompileError, NoSuchTableError

from yurt.core.databases.common.structure import Column, Foreign, Structure, reflected

# From the narrow to the wide, because a type may be of several.
TYPES: tuple[tuple[type[object], str], ...] = (
    (types.Boolean, "boolean"), (types.Integer, "integer"), (types.Float, "real"), (types.Numeric, "decimal"),
    (types.DateTime, "datetime"), (types.Date, "date"), (types.Time, "time"), (types.String, "text"),
    (types.Uuid, "text"), (types.JSON, "text"),
)  # fmt: skip

# What MySQL adds to the type of a text.
COLLATION = re.compile(r" (CHARACTER SET|COLLATE) .*", re.DOTALL)


def own_connection(engine: Engine) -> object:
    """Return a connection of the driver itself, which the caller closes."""
    proxied = engine.raw_connection()
    own = proxied.driver_connection
    proxied.detach()
    return own


def structure_of(engine: Engine, table: str) -> Structure | None:
    """Return the structure of a table; None if there is no such table."""
    inspector = inspect(engine)
    try:
        columns = inspector.get_columns(table)
    except NoSuchTableError:
        return None

    def named(names: Iterable[str | None]) -> tuple[str, ...]:
        return tuple(reflected(str(each), engine.dialect.name) for each in names)

    primary = named(inspector.get_pk_constraint(table)["constrained_columns"])
    found = {each.name: each for each in (_column(told, primary, engine) for told in columns)}
    groups = [named(each["column_names"]) for each in inspector.get_unique_constraints(table)]
    # Some databases have unique indexes that are no constraints; one for some of the rows says nothing of the others.
    groups += [
        named(each["column_names"]) for each in inspector.get_indexes(table, include_auto_indexes=True)
        if each["unique"] and all(each["column_names"])
        and not any(name.endswith("_where") for name in each.get("dialect_options", {}))
    ]  # fmt: skip
    foreign = [
        Foreign(named(each["constrained_columns"]), reflected(each["referred_table"], engine.dialect.name))
        for each in inspector.get_foreign_keys(table)
    ]
    unique = dict.fromkeys([*([primary] if primary else []), *groups])
    return Structure(table, found, tuple(unique), tuple(foreign), primary)


def _told(kind: types.TypeEngine[object], engine: Engine) -> str:
    """Return a type as its database writes it, without the order of its texts."""
    try:
        told = kind.compile(dialect=engine.dialect)
    except CompileError:
        told = str(kind)
    return COLLATION.sub("", told)


def _column(told: ReflectedColumn, primary: tuple[str, ...], engine: Engine) -> Column:
    kind = told["type"]
    word = next((word for each, word in TYPES if isinstance(kind, each)), "other")
    if isinstance(kind, TINYINT) and kind.display_width == 1:
        word = "boolean"
    if word == "datetime" and getattr(kind, "timezone", False):
        word = "zoned"
    # SQLite counts the only key of a table by itself if it is an integer.
    counted = bool(told.get("autoincrement") is True or (primary == (told["name"],) and word == "integer"))
    filled = told.get("default") is not None or told.get("identity") is not None or counted
    limit = getattr(kind, "scale" if word == "decimal" else "length", None)
    default = told.get("default") or ""
    name = reflected(told["name"], engine.dialect.name)
    return Column(name, _told(kind, engine), word, not told["nullable"], filled, limit, default)
