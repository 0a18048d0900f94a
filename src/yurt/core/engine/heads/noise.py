"""Changes numbers by a share of themselves."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pyarrow as pa

from yurt.core import model
from yurt.core.columns.column import Column
from yurt.core.engine.by_value import changed, hashed, secret_of, unit_of
from yurt.core.engine.scope import BatchScope, TableScope
from yurt.core.engine.written_numbers import NUMBER_WANTED, merged, written_numbers
from yurt.core.heads.noise import Noise


def noise(field: model.Field, phrase: model.Phrase, table: TableScope) -> Callable[[BatchScope], Column]:
    """Numbers, changed by a share that their own hash says; a text that is no number is refused."""
    head = phrase.head
    assert isinstance(head, Noise)
    hash_of = hashed(secret_of(table), "noise", head.domain)

    def change(texts: pa.Array) -> pa.Array:
        shares = (unit_of(hash_of(texts)) * 2 - 1) * head.share
        parts = []
        for each in written_numbers(texts):
            own = shares[each.at]
            moved = each.values + np.rint(np.abs(each.values) * own).astype(np.int64)
            # Never the same number; 0 stays 0, because a share of nothing is nothing.
            moved += np.where((moved == each.values) & (each.values != 0), np.where(own > 0, 1, -1), 0)
            parts.append((each.at, each.texts(moved)))
        return merged(parts, len(texts))

    return changed(head, table, change, NUMBER_WANTED)


MAKES = {Noise: noise}
