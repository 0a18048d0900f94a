"""Tables of a database, which a URL names instead of a file."""

from __future__ import annotations

from yurt.core.base.data_classes import dataclass
from yurt.core.base.errors import UsageFault
from yurt.core.formats.common.format import Book, Format, Out
from yurt.core.formats.common.settings import Chosen, Setting, complete
from yurt.core.formats.common.values import FIELDS
from yurt.core.formats.sql import TABLE

SETTINGS = (
    FIELDS,
    TABLE,
    Setting(
        "existing", "what becomes of a table that is there: an error, more rows, or other rows instead of its own",
        "refuse", "append", ("refuse", "append", "replace"),
    ),
    Setting(
        "transaction", "what is undone together when a row fails: everything, or only the table of the row", "whole",
        "table", ("whole", "table"),
    ),
    Setting("identity", "who counts the keys that are a `sequence`", "schema", "server", ("schema", "server")),
)  # fmt: skip


@dataclass(frozen=True, kw_only=True)
class Database(Format):
    """The tables of a database."""

    table: str
    existing: str
    by_table: bool
    identity: bool

    def book(self, out: Out) -> Book:
        raise UsageFault("`database` is not a format of files; name a database instead: --out sqlite:///huts.db")


def _configured(chosen: Chosen) -> Format:
    return Database(
        name="database", suffixes=(), meaning="tables of a database that a URL names: sqlite:///huts.db", read=None,
        settings=SETTINGS, configured=_configured, typed=True, together=True, binary=True, table=chosen["table"],
        existing=chosen["existing"], by_table=chosen["transaction"] == "table", identity=chosen["identity"] == "server",
    )  # fmt: skip


FORMAT = _configured(complete("database", SETTINGS, {}))
