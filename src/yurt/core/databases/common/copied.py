"""The definition of a new table whose rows come from another table: types, keys, and defaults stay as they are.

Words of the other database come into a statement only where they have a form that cannot be anything else.
"""

from __future__ import annotations

import re
from collections.abc import Mapping

import pyarrow as pa

from yurt.core.base.data_classes import dataclass, field
from yurt.core.databases.common.structure import Column, Structure
from yurt.core.formats.sql.definitions import column_type
from yurt.core.formats.sql.dialects import Dialect
from yurt.core.model import Record

TYPE = re.compile(r"[A-Z][A-Z ]*(\(\d+(, ?\d+)?\))?( UNSIGNED)?")
DEFAULT = re.compile(r"'(?:[^'\\]|'')*'|-?\d+(?:\.\d+)?|TRUE|FALSE|CURRENT_(?:DATE|TIME|TIMESTAMP)", re.IGNORECASE)
# What PostgreSQL adds to a constant, and MySQL to a function.
ADDED = re.compile(r"(?<=')::[a-z ]+(\(\d+\))?$|\(\)$")
# Their widest forms hold every value; a narrow one, with fewer places of a second, would round.
TIMES = ("time", "datetime", "zoned")


@dataclass(frozen=True)
class Origin:
    """The column of the old table that a new one comes from.

    Its values are `unchanged`, or treated; they stay `different` where two of them were.
    """

    title: str
    unchanged: bool
    different: bool


@dataclass
class Copied:
    """A table that a new one is like: the name of its dialect, its structure, and the origin of each new column."""

    dialect: str
    structure: Structure
    origins: Mapping[str, Origin]
    # What the new table does not have, in words.
    omitted: list[str] = field(default_factory=list)

    def columns(self, dialect: Dialect, record: Record, schema: pa.Schema) -> dict[str, str]:
        """Return what stands behind the name of each column that was in the old table."""
        by_title = {record.column(each.name): each for each in record.shown}
        keyed = {name for group in self.groups() for name in group}
        found = {}
        for each in schema:
            origin = self.origins.get(each.name)
            old = self.structure.columns.get(origin.title) if origin is not None else None
            if origin is None or old is None:
                continue
            word, places = column_type(each.type, by_title.get(each.name))
            kind = self._type(dialect, old, each.name in keyed) if origin.unchanged else ""
            told = kind or dialect.type_of(word, places, each.name in keyed)
            if origin.unchanged and old.type == "other":
                self.omitted.append(f"{each.name}: {old.told} has become {told}")
            told += " NOT NULL" if old.required else ""
            found[each.name] = told + self._default(old, origin)
            # SQLite counts every key that is an integer.
            if old.filled and not old.default and dialect.name != "sqlite":
                self.omitted.append(f"{each.name}: the database does not count it by itself")
        return found

    def constraints(self, dialect: Dialect) -> list[str]:
        """Return the keys and unique groups of the old table whose values cannot have become equal."""
        found = []
        for old in self.structure.unique:
            primary = old == self.structure.primary
            word = "PRIMARY KEY" if primary else "UNIQUE"
            group = self._group(old)
            if group:
                found.append(f"{word} ({', '.join(map(dialect.identifier, group))})")
            else:
                self.omitted.append(f"{', '.join(old)}: no {word}, because its values can repeat now")
        for link in self.structure.foreign:
            self.omitted.append(f"{', '.join(link.columns)}: the reference to {link.table} is not enforced")
        return found

    def groups(self) -> list[tuple[str, ...]]:
        """Return the unique groups that stay, by their new titles."""
        return [group for old in self.structure.unique if (group := self._group(old))]

    def _group(self, old: tuple[str, ...]) -> tuple[str, ...]:
        new = {origin.title: title for title, origin in self.origins.items() if origin.different}
        return tuple(new[each] for each in old) if set(old) <= set(new) else ()

    def _type(self, dialect: Dialect, old: Column, keyed: bool) -> str:
        """Return the type of a column whose values are unchanged; empty where their own type says more."""
        same = dialect.name == self.dialect
        if old.type == "other":
            return ""
        if same and TYPE.fullmatch(old.told) and (old.type not in TIMES or dialect.name == "sqlite"):
            return old.told
        # SQLite lets a column hold values of any type, so its types promise another database nothing.
        if self.dialect == "sqlite" and not same:
            return ""
        places = old.limit or 0
        return dialect.type_of(old.type, places, keyed, places if old.type == "text" else 0)

    def _default(self, old: Column, origin: Origin) -> str:
        told = ADDED.sub("", old.default.strip())
        if not told or told.upper() == "NULL":
            return ""
        if origin.unchanged and DEFAULT.fullmatch(told):
            return f" DEFAULT {told}"
        self.omitted.append(f"{origin.title}: no DEFAULT {old.default.strip()}")
        return ""
