"""Pages of kinds: examples, the number of values, the contract.

Results of the engine are stored in advance (`tools/catalogue.py`), so that the catalogue can be shown at once. A kind
that is not stored yet is computed on demand.
"""

from __future__ import annotations

import json
from datetime import date, timedelta
from decimal import Decimal
from functools import cache

from yurt.core.base.json_object import JsonObject
from yurt.core.base.types import Type
from yurt.core.kinds.catalogue import HERE, KINDS, Kind
from yurt.core.kinds.contract import Contract, Terms
from yurt.core.planning.contracts import stated

# Lists with up to this many values are shown completely.
FEW = 8
# How the line of a kind begins that lists its values.
LISTED = "one of "


def examples(name: str, locale: str) -> list[str]:
    """Return some values of a kind in a locale, as texts."""
    known = _file("common") if not KINDS[name].about else _file(locale)
    if name in known:
        found: list[str] = known[name]
        return found
    from yurt.core.reports import kind_examples as engine

    return engine.examples([name], locale, 6)[name]


def room(name: str) -> int:
    """Return the number of different values of a kind if it is unique; 0 if it cannot be."""
    known = _file("room")
    if name in known:
        return int(known[name])
    from yurt.core.reports import kind_examples as engine

    return engine.room(KINDS[name])


def allowed(name: str, locale: str) -> tuple[str, str]:
    """Return a description of the contract of a kind in a locale, and of what no rule checks."""
    kind = KINDS[name]
    if kind.record:
        return "", ""
    contract = _contract(kind, locale)
    if not contract.states and kind.phrase.startswith("/"):
        return kind.phrase[1:-1], contract.rest
    words = [" and ".join(contract.patterns)]
    if contract.values is not None:
        listed = sorted(contract.values)
        words.append(" | ".join(listed) if len(listed) <= FEW else f"{len(listed):,} values of a list")
    words.append("..".join(_number(each, kind.type) for each in contract.ends if each is not None))
    return "; ".join(filter(None, words)), contract.rest


def closed(name: str, locale: str) -> str:
    """Return what makes the listed values of a kind all there are, so that another value is wrong; "" of an open kind.

    It is the edition of an official list, or the definition of the kind.
    """
    kind = KINDS[name]
    if kind.record or kind.closed:
        return kind.closed
    contract = _contract(kind, locale)
    return "by its definition" if contract.values is not None else ""


def _contract(kind: Kind, locale: str) -> Contract:
    if kind.phrase.startswith(LISTED):
        return Contract(rest="" if kind.closed else f"whether it is {kind.meaning}")
    return stated(kind, Terms(locales=(locale,), today=date.today()))


def _number(value: int, kind: Type) -> str:
    if kind.name == "date":
        return str(date(1970, 1, 1) + timedelta(days=value))
    return str(Decimal(value).scaleb(-kind.places)) if kind.name == "decimal" else str(value)


@cache
def _file(name: str) -> JsonObject:
    path = HERE.joinpath("shown", f"{name}.json")
    found: JsonObject = json.loads(path.read_text("utf-8")) if path.is_file() else {}
    return found
