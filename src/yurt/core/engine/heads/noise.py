"""Changes numbers by a share of themselves."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from yurt.core import model
from yurt.core.base.arrays import strings
from yurt.core.columns.column import Column
from yurt.core.engine.by_value import changed, hashed, secret_of, unit_of
from yurt.core.engine.scope import BatchScope, TableScope
from yurt.core.heads.noise import Noise

NUMBER = r"^[+-]?\d{1,15}([.,]\d{1,9})?$"


def noise(field: model.Field, phrase: model.Phrase, table: TableScope) -> Callable[[BatchScope], Column]:
    """Numbers, changed by a share that their own hash says; a text that is no number is left out."""
    head = phrase.head
    assert isinstance(head, Noise)
    hash_of = hashed(secret_of(table), "noise", head.domain)

    def change(texts: pa.Array) -> pa.Array:
        units = unit_of(hash_of(texts)) * 2 - 1
        fits = pc.match_substring_regex(texts, NUMBER).to_pylist()
        return strings([_moved(text, unit * head.share) if fit else None
                        for text, unit, fit in zip(texts.to_pylist(), units.tolist(), fits, strict=True)])  # fmt: skip

    return changed(head, table, change)


def _moved(text: str, share: float) -> str:
    """Return a number in the form of another: with as many places and the same mark, and never the same number."""
    mark = "," if "," in text else "."
    places = len(text.partition(mark)[2])
    scale = 10**places
    whole = round(float(text.replace(",", ".")) * scale)
    moved = whole + round(abs(whole) * share)
    if moved == whole and whole:
        moved += 1 if share > 0 else -1
    digits = f"{abs(moved):0{places + 1}d}"
    sign = "-" if moved < 0 else ""
    return sign + (f"{digits[:-places]}{mark}{digits[-places:]}" if places else digits)


MAKES = {Noise: noise}
