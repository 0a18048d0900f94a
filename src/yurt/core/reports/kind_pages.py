"""What is shown of kinds: examples, how many values there are, the pattern that they match.

It is made beforehand by the engine (`tools/catalogue.py`), so that looking into the catalogue takes no time. A kind
that is not there yet is looked at when it is asked for.
"""

from __future__ import annotations

import json
from functools import cache
from typing import Any

from yurt.core.base.json_object import JsonObject
from yurt.core.kinds.catalogue import HERE, KINDS


def examples(name: str, locale: str) -> list[str]:
    """Return some values of a kind in a locale, as texts."""
    known = _file("common") if not KINDS[name].about else _file(locale)
    if name in known:
        found: list[str] = known[name]
        return found
    from yurt.core.reports import kind_examples as engine

    return engine.examples([name], locale, 6)[name]


def room(name: str) -> int:
    """Return how many different values a kind has when it is unique; 0 when it cannot be."""
    return int(_of(name)[0])


def allowed(name: str) -> str:
    """Return a pattern that every value matches; empty where there is none."""
    return str(_of(name)[1])


def _of(name: str) -> list[Any]:
    known = _file("ranges")
    if name in known:
        found: list[Any] = known[name]
        return found
    from yurt.core.reports import kind_examples as engine

    return [engine.room(KINDS[name]), engine.allowed(KINDS[name])]


@cache
def _file(name: str) -> JsonObject:
    path = HERE.joinpath("shown", f"{name}.json")
    found: JsonObject = json.loads(path.read_text("utf-8")) if path.is_file() else {}
    return found
