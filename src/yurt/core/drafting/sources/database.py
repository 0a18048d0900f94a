"""Databases as they are: tables, keys, references, checks, enumerations, and comments, through SQLAlchemy."""

from __future__ import annotations

from collections.abc import Iterable
from typing import TYPE_CHECKING

from yurt.core.base.errors import SurroundingsFault, UsageFault
from yurt.core.base.nearest import did_you_mean
from yurt.core.databases.address import Address
from yurt.core.databases.common.structure import reflected
from yurt.core.databases.connecting import connected
from yurt.core.drafting.draft import Draft
from yurt.core.drafting.sources import checks
from yurt.core.drafting.sources.source import Asked
from yurt.core.drafting.sources.tables import ColumnFacts, TableFacts, draft_of_tables

if TYPE_CHECKING:
    from sqlalchemy import URL, Inspector
    from sqlalchemy.engine.interfaces import ReflectedColumn

BITS = {"TINYINT": 8, "SMALLINT": 16, "MEDIUMINT": 24, "INTEGER": 32, "BIGINT": 64}
SORTS = ("Uuid", "Boolean", "Interval", "DateTime", "Date", "Time", "Float", "Numeric", "Integer", "String")
WORDS = {"Uuid": "uuid", "Boolean": "boolean", "Interval": "interval", "DateTime": "datetime", "Date": "date",
         "Time": "time", "Float": "real", "Numeric": "decimal", "Integer": "integer", "String": "text"}  # fmt: skip


def draft_of_database(address: Address, asked: Asked) -> Draft:
    """Return the draft of the tables of a database. Raises UsageFault for a table that is not there."""
    from sqlalchemy import create_engine, inspect
    from sqlalchemy.exc import SQLAlchemyError

    # The own connection says what is wrong with an address before anything else does.
    connected(address, reading=True).close()
    asked.name = address.shown
    try:
        engine = create_engine(_engine_url(address))
        inspector = inspect(engine)
        names = inspector.get_table_names()
        wanted = [each for each in names if not asked.tables or each in asked.tables]
        if asked.tables and not wanted:
            hint = did_you_mean(asked.tables[0], names) or ", ".join(names[:12])
            raise UsageFault(f"{address.shown}: there is no table `{asked.tables[0]}`; {hint}")
        if not wanted:
            raise UsageFault(f"{address.shown}: there are no tables")
        tables = [_table(inspector, each, address, asked) for each in wanted]
        engine.dispose()
    except SQLAlchemyError as fault:
        reason = str(getattr(fault, "orig", None) or fault).splitlines()[0]
        raise SurroundingsFault(f"{address.shown}: {reason}") from None
    return asked.finish(draft_of_tables(tables, asked))


def _engine_url(address: Address) -> URL:
    if address.database == "duckdb":
        raise UsageFault(f"{address.shown}: drafts of databases are made of SQLite, PostgreSQL, MySQL, and MariaDB")
    return address.url


def _table(inspector: Inspector, name: str, address: Address, asked: Asked) -> TableFacts:

    def named(names: Iterable[str | None]) -> tuple[str, ...]:
        return tuple(reflected(str(each), address.database) for each in names)

    table = TableFacts(name)
    key = named(inspector.get_pk_constraint(name)["constrained_columns"])
    table.primary = key
    for told in inspector.get_columns(name):
        table.columns.append(_column(told, key, address))
    table.unique = [named(each["column_names"]) for each in inspector.get_unique_constraints(name)]
    table.unique += [
        named(each["column_names"]) for each in inspector.get_indexes(name, include_auto_indexes=True)
        if each["unique"] and all(each["column_names"]) and not each.get("duplicates_constraint")
    ]  # fmt: skip
    table.unique = [each for each in dict.fromkeys(table.unique) if each != key]
    for each in inspector.get_foreign_keys(name):
        table.foreign.append(
            (named(each["constrained_columns"]), named([each["referred_table"]])[0], named(each["referred_columns"]))
        )
    try:
        table.comment = (inspector.get_table_comment(name).get("text") or "").strip()
    except NotImplementedError:
        table.comment = ""
    _checks(inspector, name, table, address, asked)
    return table


def _checks(inspector: Inspector, name: str, table: TableFacts, address: Address, asked: Asked) -> None:
    """Take the checks of a table."""
    try:
        found = inspector.get_check_constraints(name)
    except NotImplementedError:
        return
    if not found:
        return
    import sqlglot

    dialect = {"postgresql": "postgres", "mariadb": "mysql"}.get(address.database, address.database)
    for each in found:
        text = str(each["sqltext"])
        try:
            rule = sqlglot.parse_one(f"SELECT 1 WHERE {text}", dialect=dialect).args["where"].this
        except (sqlglot.errors.SqlglotError, AttributeError, KeyError):
            asked.leave_out("CHECK", name, text[:80])
            continue
        checks.apply(rule, table, asked, f"{name}.{each.get('name') or 'check'}")


def _column(told: ReflectedColumn, key: tuple[str, ...], address: Address) -> ColumnFacts:

    kind = told["type"]
    names = [each.__name__ for each in type(kind).__mro__]
    sort = next((WORDS[each] for each in SORTS if each in names), "other")
    column = ColumnFacts(reflected(told["name"], address.database), sort, str(kind))
    column.nullable, column.comment = bool(told["nullable"]), (told.get("comment") or "").strip()
    column.computed = told.get("computed") is not None
    if enums := getattr(kind, "enums", None):
        column.values = list(enums)
    elif column.sort == "integer":
        column.bits = next((bits for word, bits in BITS.items() if word in names), 64)
        column.bits = 64 if address.database == "sqlite" else column.bits
        column.unsigned = bool(getattr(kind, "unsigned", False))
        counted = told.get("identity") is not None or "nextval" in str(told.get("default") or "")
        column.counted = counted or (told.get("autoincrement") is True)
        if "TINYINT" in names and getattr(kind, "display_width", None) == 1:
            column.sort = "boolean"
    elif column.sort == "decimal":
        column.digits = getattr(kind, "precision", None)
        column.places = getattr(kind, "scale", None) if column.digits is not None else None
    elif column.sort == "text":
        column.length = getattr(kind, "length", None)
    elif column.sort == "datetime" and getattr(kind, "timezone", False):
        column.sort = "zoned"
    if column.name in key:
        column.nullable = False
    return column
