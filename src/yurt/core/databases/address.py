"""The URL of a database, in the form of RFC 1738 as SQLAlchemy reads it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from yurt.core.base.data_classes import dataclass
from yurt.core.base.errors import UsageFault
from yurt.core.base.nearest import did_you_mean
from yurt.core.base.urls import secrets_in, without_secrets

if TYPE_CHECKING:
    from sqlalchemy.engine import URL

# How each database is called in a URL, and the driver that SQLAlchemy needs for it.
DRIVERS = {
    "sqlite": "sqlite", "duckdb": "duckdb", "postgresql": "postgresql+psycopg", "mysql": "mysql+pymysql",
    "mariadb": "mariadb+pymysql",
}  # fmt: skip
EXAMPLES = {
    "sqlite": "sqlite:///huts.db", "duckdb": "duckdb:///huts.duckdb",
    **{each: f"{each}://user:password@localhost/huts" for each in ("postgresql", "mysql", "mariadb")},
}  # fmt: skip
ALIASES = {"postgres": "postgresql", "pgsql": "postgresql", "sqlite3": "sqlite"}
IN_A_FILE = ("sqlite", "duckdb")


@dataclass(frozen=True)
class Address:
    """Where a database is."""

    database: str
    url: URL

    @property
    def shown(self) -> str:
        """The URL without its secrets."""
        shown = self.url.set(drivername=self.database).render_as_string(hide_password=True)
        return without_secrets(shown, secrets_in(self.url.render_as_string(hide_password=False)))

    @property
    def path(self) -> str:
        """The file that the database is in; empty for a server."""
        return (self.url.database or "") if self.database in IN_A_FILE else ""


def scheme_of(text: str) -> str:
    """Return which database a URL names, also where it names the driver as well, or has a longer or a shorter word."""
    word = text.partition("://")[0].lower().removeprefix("jdbc:").partition("+")[0]
    return ALIASES.get(word, word)


def address_of(text: str) -> Address:
    """Return the database that a URL stands for. Raises UsageFault for a URL that is none."""
    told, _, rest = text.partition("://")
    scheme = scheme_of(text)
    if scheme not in DRIVERS:
        hint = did_you_mean(scheme, DRIVERS) or "there are " + ", ".join(DRIVERS)
        raise UsageFault(f"`{told}` is not a database that can be reached; {hint}")
    from sqlalchemy.engine import make_url
    from sqlalchemy.exc import ArgumentError

    try:
        found = make_url(f"{scheme}://{rest}")
        url = found.set(drivername=DRIVERS[scheme])
    except (ArgumentError, ValueError):
        raise UsageFault(f"this URL cannot be read; write it like {EXAMPLES[scheme]}") from None
    address = Address(scheme, url)
    if not url.database or (scheme in IN_A_FILE and url.host):
        raise UsageFault(f"{address.shown}: the URL names no database; write it like {EXAMPLES[scheme]}")
    return address
