"""File formats, one module each: how they are written and read, what they can express, and their settings.

A format is found by the name of its module, which holds one `FORMAT`.
"""

from __future__ import annotations

from functools import cache
from importlib import import_module
from pkgutil import iter_modules
from typing import TYPE_CHECKING, cast

from yurt.core.base.errors import UsageFault
from yurt.core.formats.common.settings import Chosen, complete

if TYPE_CHECKING:
    from yurt.core.formats.common.format import Format, TextFormat

NAMES = tuple(each.name.replace("_", "-") for each in iter_modules(__path__) if each.name != "common")
# The formats of files; a database is named by a URL instead.
FILE_FORMATS = tuple(each for each in NAMES if each != "database")


@cache
def by_name() -> dict[str, Format]:
    """Return all formats by name; their modules are imported only here."""
    return {name: import_module(f"{__name__}.{name.replace('-', '_')}").FORMAT for name in NAMES}


@cache
def by_suffix() -> dict[str, Format]:
    """Return all formats by the suffixes of the files that they write."""
    return {suffix: form for form in by_name().values() for suffix in form.suffixes}


@cache
def by_any_suffix() -> dict[str, Format]:
    """Return all formats by the suffixes of their files, and of those that are only read."""
    return by_suffix() | {suffix: form for form in by_name().values() for suffix in form.only_read}


def configured(name: str, chosen: Chosen) -> Format:
    """Return a format with some settings. Raises UsageFault for a setting or a value that is not possible."""
    form = by_name()[name]
    found = complete(name, form.settings, chosen)
    return form.configured(found) if form.configured is not None and chosen else form


def text_format(name: str, chosen: Chosen | None = None) -> TextFormat:
    """Return a text format. Raises UsageFault for any other."""
    form = configured(name, chosen or {})
    if not form.holds_anything:
        texts = ", ".join(each.name for each in by_name().values() if each.holds_anything)
        raise UsageFault(f"`{name}` cannot hold wrong values; a format of texts can: {texts}")
    return cast("TextFormat", form)
