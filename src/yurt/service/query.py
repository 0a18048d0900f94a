"""The part of an address after the question mark: pages, order, fields, filters."""

from __future__ import annotations

from urllib.parse import unquote_to_bytes, urlencode

from yurt.core.base.data_classes import dataclass, field
from yurt.core.collections.collection import ANYWHERE
from yurt.core.collections.filters import Filter
from yurt.service.problem import Problem
from yurt.service.settings import Settings

# The parameters that are not filters. A field with such a name is filtered by `field.NAME`.
OWN = ("page", "size", "sort", "fields", "search", "bad-day")
PREFIX = "field."
MOST_DIGITS = 15


@dataclass
class Query:
    """What a request asks of a collection."""

    page: int = 1
    size: int = 50
    sort: tuple[str, ...] = ()
    fields: tuple[str, ...] = ()
    bad_day: tuple[str, ...] = ()
    filters: tuple[Filter, ...] = ()
    # The parameters as they were told, for links to other pages.
    told: list[tuple[str, str]] = field(default_factory=list)

    def link(self, path: str, page: int) -> str:
        """Return the address of another page."""
        rest = [(name, value) for name, value in self.told if name != "page"]
        return f"{path}?{urlencode([*rest, ('page', str(page))])}"


def query_of(raw: bytes, settings: Settings) -> Query:
    """Return what the bytes after the question mark ask for. Raises Problem (400, 414)."""
    if not raw:
        return Query(size=settings.page_size)
    if len(raw) > settings.largest_query:
        raise Problem(414, f"more than {settings.largest_query:,} characters after the question mark")
    told = [_pair(each) for each in raw.split(b"&") if each]
    if len(told) > settings.most_parameters:
        raise Problem(400, f"more than {settings.most_parameters} parameters")
    found = Query(size=settings.page_size, told=told)
    filters: dict[str, list[str]] = {}
    for name, value in told:
        if name == "page":
            found.page = _whole(name, value, 10**MOST_DIGITS)
        elif name == "size":
            found.size = _whole(name, value, settings.largest_page)
        elif name in ("sort", "fields"):
            names = tuple(each.strip() for each in value.split(",") if each.strip())
            setattr(found, name, (*getattr(found, name), *names))
        elif name == "bad-day":
            found.bad_day = (*found.bad_day, value)
        elif name == "search":
            filters.setdefault(ANYWHERE, []).append(value)
        elif name == ANYWHERE:
            raise Problem(400, "`*` is no field; ?search= looks at all texts")
        else:
            filters.setdefault(name.removeprefix(PREFIX), []).append(value)
    found.filters = tuple(Filter(name, tuple(values)) for name, values in filters.items())
    return found


def _pair(part: bytes) -> tuple[str, str]:
    name, _, value = part.partition(b"=")
    return text_of(name.replace(b"+", b" ")), text_of(value.replace(b"+", b" "))


def text_of(part: bytes) -> str:
    """Return a part of an address without its percent signs. Raises Problem (400) if it is not UTF-8."""
    try:
        return unquote_to_bytes(part).decode("utf-8")
    except UnicodeDecodeError:
        raise Problem(400, "the address is not UTF-8") from None


def _whole(name: str, value: str, most: int) -> int:
    if not value.isdecimal() or not value.isascii() or len(value) > MOST_DIGITS + 1 or not 1 <= int(value) <= most:
        raise Problem(400, f"`{name}={value}` is not a whole number from 1 to {most:,}")
    return int(value)
