"""The structure of a table as SQLAlchemy finds it."""

from __future__ import annotations

from sqlalchemy import Engine, inspect, types
from sqlalchemy.dialects.mysql import TINYINT
from sqlalchemy.engine.interfaces import ReflectedColumn
from sqlalchemy.exc import NoSuchTableError

from yurt.core.databases.common.structure import Column, Foreign, Structure

# From the narrow to the wide, because a type may be of several.
TYPES: tuple[tuple[type[object], str], ...] = (
    (types.Boolean, "boolean"), (types.Integer, "integer"), (types.Float, "real"), (types.Numeric, "decimal"),
    (types.DateTime, "datetime"), (types.Date, "date"), (types.Time, "time"), (types.String, "text"),
    (types.Uuid, "text"), (types.JSON, "text"),
)  # fmt: skip


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
    primary = tuple(inspector.get_pk_constraint(table)["constrained_columns"])
    found = {each["name"]: _column(each, primary) for each in columns}
    groups = [tuple(map(str, each["column_names"])) for each in inspector.get_unique_constraints(table)]
    # Some databases have unique indexes that are no constraints.
    groups += [
        tuple(map(str, each["column_names"])) for each in inspector.get_indexes(table, include_auto_indexes=True)
        if each["unique"] and all(each["column_names"])
    ]  # fmt: skip
    foreign = [
        Foreign(tuple(each["constrained_columns"]), each["referred_table"])
        for each in inspector.get_foreign_keys(table)
    ]
    unique = dict.fromkeys([*([primary] if primary else []), *groups])
    return Structure(table, found, tuple(unique), tuple(foreign))


def _column(told: ReflectedColumn, primary: tuple[str, ...]) -> Column:
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
    return Column(told["name"], str(kind), word, not told["nullable"], filled, limit)
