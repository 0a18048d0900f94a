"""File formats, one module each: how they are written and read, what they can express, and their settings.

A format is found by the name of its module, which holds one `FORMAT`. `index.json` has what is said about each, with
examples of its settings; `tools/catalogue.py` writes it. So a format is found by a suffix, and described, without
importing any.
"""

from __future__ import annotations

from functools import cache
from json import loads
from pathlib import Path
from typing import TYPE_CHECKING, cast

from yurt.core.base.by_name import ByName
from yurt.core.base.errors import UsageFault
from yurt.core.base.json_object import JsonObject
from yurt.core.formats.common.settings import Chosen, complete

if TYPE_CHECKING:
    from yurt.core.formats.common.format import Format, TextFormat

FORMATS: ByName[Format] = ByName(__name__, __path__, "FORMAT", without=("common",))
# The formats of files; a database is named by a URL instead.
FILE_FORMATS = tuple(each for each in FORMATS if each != "database")


@cache
def index() -> dict[str, JsonObject]:
    """Return what is said about each format, by name."""
    found: dict[str, JsonObject] = loads(Path(__file__).with_name("index.json").read_text("utf-8"))
    return found


@cache
def by_suffix() -> dict[str, str]:
    """Return the names of the formats by the suffixes of the files that they write."""
    return {suffix: name for name, each in index().items() for suffix in each["suffixes"]}


@cache
def by_any_suffix() -> dict[str, str]:
    """Return the names of the formats by the suffixes of their files, and of those that are only read."""
    return by_suffix() | {suffix: name for name, each in index().items() for suffix in each["only read"]}


def configured(name: str, chosen: Chosen) -> Format:
    """Return a format with some settings. Raises UsageFault for a setting or a value that is not possible."""
    form = FORMATS[name]
    found = complete(name, form.settings, chosen)
    return form.configured(found) if form.configured is not None and chosen else form


def text_format(name: str, chosen: Chosen | None = None) -> TextFormat:
    """Return a text format. Raises UsageFault for any other."""
    form = configured(name, chosen or {})
    if not form.holds_anything:
        texts = ", ".join(each.name for each in FORMATS.values() if each.holds_anything)
        raise UsageFault(f"`{name}` cannot hold wrong values; a format of texts can: {texts}")
    return cast("TextFormat", form)
