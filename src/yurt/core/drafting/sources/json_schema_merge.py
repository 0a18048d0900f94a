"""References and `allOf` of JSON Schema: several schemas of one value as a single one."""

from __future__ import annotations

import math
from collections.abc import Callable
from decimal import Decimal
from typing import Any

from yurt.core.drafting.sources.json_values import Json

Rules = dict[str, Any]
# Words that only describe, or that stand around the rules.
NOTES = ("$schema", "$id", "id", "$anchor", "$comment", "$defs", "definitions", "title", "description", "default",
         "examples", "example", "deprecated", "readOnly", "writeOnly", "$vocabulary", "contentEncoding",
         "contentMediaType", "contentSchema", "$dynamicAnchor", "$recursiveAnchor", "xml", "externalDocs",
         "discriminator")  # fmt: skip


class Clash(ValueError):
    """Two schemas of one value that cannot be said as one: the keyword, and why."""

    def __init__(self, keyword: str, reason: str) -> None:
        super().__init__(reason)
        self.keyword = keyword


def together(one: Rules, two: Rules, same: Callable[[Json, Json], bool]) -> Rules:
    """Return the rules that hold if both do. Raises Clash."""
    found = dict(one)
    for word, value in two.items():
        if word in NOTES:
            found.setdefault(word, value)
        elif word not in found or same(found[word], value):
            found[word] = value
        else:
            found[word] = _both(word, found[word], value)
    return found


def _both(word: str, one: Json, two: Json) -> Json:
    match word:
        case "type":
            return _types(one, two)
        case "minimum" | "exclusiveMinimum" | "minLength" | "minItems" | "minProperties":
            return max(one, two)
        case "maximum" | "exclusiveMaximum" | "maxLength" | "maxItems" | "maxProperties":
            return min(one, two)
        case "multipleOf":
            return _common_multiple(Decimal(one), Decimal(two))
        case "required":
            return list(dict.fromkeys([*one, *two]))
        case "uniqueItems":
            return bool(one) or bool(two)
        case "enum":
            return [each for each in one if any(same_json(each, other) for other in two)]
        case "properties":
            return {name: _all_of(one.get(name), two.get(name)) for name in dict.fromkeys([*one, *two])}
        case "items":
            return _all_of(one, two)
    raise Clash(word, "it stands in several parts of `allOf`")


def _all_of(one: Json, two: Json) -> Json:
    if one is None or two is None:
        return two if one is None else one
    return {"allOf": [one, two]}


def _types(one: Json, two: Json) -> Json:
    first = one if isinstance(one, list) else [one]
    second = two if isinstance(two, list) else [two]
    found = [each for each in first if each in second]
    # Every integer is a number.
    for mine, other in ((first, second), (second, first)):
        if "integer" in mine and "number" in other and "integer" not in found:
            found.append("integer")
    if not found:
        raise Clash("type", "no value has both types")
    return found[0] if len(found) == 1 else found


def _common_multiple(one: Decimal, two: Decimal) -> Decimal:
    places = max(-int(each.as_tuple().exponent) for each in (one, two))
    scale = 10 ** max(places, 0)
    return Decimal(math.lcm(int(one * scale), int(two * scale))) / Decimal(scale)


def same_json(one: Json, two: Json) -> bool:
    """Return whether two JSON values are equal: 1 and 1.0 are, 1 and true are not."""
    if isinstance(one, bool) or isinstance(two, bool):
        return one is two
    if isinstance(one, dict) and isinstance(two, dict):
        return one.keys() == two.keys() and all(same_json(value, two[name]) for name, value in one.items())
    if isinstance(one, list) and isinstance(two, list):
        return len(one) == len(two) and all(map(same_json, one, two))
    return bool(type(one) is type(two) or _numbers(one, two)) and bool(one == two)


def _numbers(one: Json, two: Json) -> bool:
    return isinstance(one, int | Decimal | float) and isinstance(two, int | Decimal | float)


def pointed(document: Json, pointer: str) -> Json:
    """Return what a JSON pointer (RFC 6901) leads to; None if that is nothing."""
    from urllib.parse import unquote

    found = document
    for step in unquote(pointer).split("/")[1:]:
        step = step.replace("~1", "/").replace("~0", "~")
        if isinstance(found, dict):
            found = found.get(step)
        elif isinstance(found, list) and step.isdecimal() and int(step) < len(found):
            found = found[int(step)]
        else:
            return None
    return found
