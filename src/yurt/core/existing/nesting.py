"""Puts the columns of nested records together again, for formats that have records inside records."""

from __future__ import annotations

import pyarrow as pa

from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow, bitmap, decoded, word
from yurt.core.formats.common.format import Format, TextFormat
from yurt.core.formats.common.raw import ABSENT, NOTHING, NULL, Raw

Columns = list[tuple[str, pa.Array]]


def nested_titles(titles: list[str], nested: tuple[str, ...]) -> list[str]:
    """Return the titles of the outermost columns: nested records stand where their first value stands."""
    return list(dict.fromkeys(_outermost(each, nested) or each for each in titles))


def together(
    columns: Columns, nested: tuple[str, ...], raws: dict[str, Raw], form: Format, inside: str = ""
) -> Columns:  # fmt: skip
    """Return the columns of a record, with those of the records inside it as columns of records.

    `raws` tell by path where such a record is missing.
    """
    prefix = f"{inside}." if inside else ""
    found: dict[str, pa.Array] = {}
    for path, column in columns:
        outer = _next(path, nested, inside)
        if not outer:
            found[path.removeprefix(prefix)] = column
        elif outer.removeprefix(prefix) not in found:
            own = [(each, one) for each, one in columns if each.startswith(f"{outer}.")]
            parts = together(own, nested, raws, form, outer)
            found[outer.removeprefix(prefix)] = _record(parts, raws[outer], form)
    return list(found.items())


def _record(parts: Columns, raw: Raw, form: Format) -> pa.Array:
    plain = [decoded(column) for _, column in parts]
    missing = raw.sorts <= NULL
    valid = bitmap(~missing) if missing.any() else None
    kind = pa.struct([(name, column.type) for (name, _), column in zip(parts, plain, strict=True)])
    whole = pa.StructArray.from_buffers(kind, len(missing), [valid], children=plain)
    if not isinstance(form, TextFormat) or not (raw.sorts == ABSENT).any() or form.token(NOTHING) != "":
        return whole
    # An absent record has no name in the file; an empty text stands for that.
    texts = pc.cast(form.finish(whole), pa.large_string())
    return pc.if_else(arrow(raw.sorts == ABSENT), pc.cast(word(""), pa.large_string()), texts)


def _outermost(path: str, nested: tuple[str, ...]) -> str:
    return min((each for each in nested if path.startswith(each + ".")), key=len, default="")


def _next(path: str, nested: tuple[str, ...], inside: str) -> str:
    """Return the outermost nested record around a value that is itself inside a record; empty for none."""
    around = (each for each in nested if path.startswith(each + ".") and len(each) > len(inside))
    return min((each for each in around if not inside or each.startswith(inside + ".")), key=len, default="")
