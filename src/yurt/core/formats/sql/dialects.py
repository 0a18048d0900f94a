"""The dialects of SQL: types, quotes, and literals.

`standard` is ISO/IEC 9075. Identifiers are quoted, so that no name of a field is a reserved word.
"""

from __future__ import annotations

from dataclasses import dataclass

from yurt.core.base.types import Type


@dataclass(frozen=True, slots=True)
class Dialect:
    """How one database writes what the standard leaves open."""

    name: str
    quote: str
    types: dict[str, str]
    # The type of a text that a key, a unique field, or a reference holds; some databases index no long texts.
    key: str
    begin: str
    # What stands for some characters in a text. Clients that read a script line by line would change line ends.
    escapes: tuple[tuple[str, str], ...] = (("'", "''"),)

    def identifier(self, name: str) -> str:
        """Return a name in quotes."""
        return self.quote + name.replace(self.quote, self.quote * 2) + self.quote

    def type_of(self, kind: Type, zoned: bool, keyed: bool) -> str:
        """Return the type of a column."""
        if kind.name == "decimal":
            return f"{self.types['decimal']}(19, {kind.places})"
        if kind.name == "datetime" and zoned:
            return self.types["zoned"]
        if kind.name == "text" and keyed:
            return self.key
        return self.types.get(kind.name, self.types["text"])


STANDARD = {
    "integer": "BIGINT", "decimal": "DECIMAL", "real": "DOUBLE PRECISION", "text": "VARCHAR(4000)",
    "boolean": "BOOLEAN", "date": "DATE", "time": "TIME", "datetime": "TIMESTAMP", "zoned": "TIMESTAMP WITH TIME ZONE",
}  # fmt: skip
# MySQL and MariaDB have no instant with an offset, so that it stays a text.
MYSQL = {
    **STANDARD, "real": "DOUBLE", "text": "LONGTEXT", "time": "TIME(6)", "datetime": "DATETIME(6)",
    "zoned": "VARCHAR(40)",
}  # fmt: skip
MYSQL_ESCAPES = (("\\", "\\\\"), ("'", "''"), ("\r", "\\r"), ("\n", "\\n"))
# SQLite has no types for times; texts in ISO 8601 sort as they should.
SQLITE = {
    **STANDARD, "integer": "INTEGER", "real": "REAL",
    **dict.fromkeys(("text", "date", "time", "datetime", "zoned"), "TEXT"),
}  # fmt: skip
DIALECTS = {
    each.name: each
    for each in (
        Dialect("standard", '"', STANDARD, "VARCHAR(255)", "START TRANSACTION;"),
        Dialect("postgresql", '"', {**STANDARD, "text": "TEXT"}, "TEXT", "BEGIN;"),
        Dialect("mysql", "`", MYSQL, "VARCHAR(255)", "START TRANSACTION;", MYSQL_ESCAPES),
        Dialect("sqlite", '"', SQLITE, "TEXT", "BEGIN;"),
    )
}
