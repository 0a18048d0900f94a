"""Functions of lists."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
import pyarrow as pa

from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow, flags, numbers, strings, word
from yurt.core.base.types import BOOLEAN, INTEGER, TEXT
from yurt.core.columns.column import Column
from yurt.core.columns.functions.registry import function, nulls_of
from yurt.core.text import forms

if TYPE_CHECKING:
    from yurt.core.columns.scope import Scope


def _offsets(column: Column) -> np.ndarray[tuple[int], np.dtype[np.int64]]:
    found = numbers(column.values.offsets, np.int32).astype(np.int64)
    return found - (found[0] if len(found) else 0)


@function("list", "integer", "how many values a list has", "")
def size(columns: list[Column], _scope: Scope) -> Column:
    return Column(INTEGER, np.diff(_offsets(columns[0])), columns[0].nulls)


@function("list constant", "text of values", "the values of a list as one text, with a text between them", "")
def join(columns: list[Column], _scope: Scope) -> Column:
    inside = forms.text_of(pc.list_flatten(columns[0].values))
    inside = pc.fill_null(inside, word(""))
    lists = pa.ListArray.from_arrays(arrow(_offsets(columns[0]).astype(np.int32)), inside)
    return Column(TEXT, pc.binary_join(lists, columns[1].values), columns[0].nulls)


@function("list any", "boolean of values", "whether a value is among those of a list", "")
def includes(columns: list[Column], scope: Scope) -> Column:
    """Values are compared in their standard form as text."""
    offsets = _offsets(columns[0])
    parents = np.repeat(np.arange(len(offsets) - 1), np.diff(offsets))
    wanted = Column(columns[1].type, columns[1].values).spread(len(scope.rows)).text(len(scope.rows))
    inside = pc.fill_null(forms.text_of(pc.list_flatten(columns[0].values)), word(""))
    same = flags(pc.equal(inside, pc.take(wanted, arrow(parents)) if len(parents) else strings([])))
    found = np.bincount(parents[same], minlength=len(offsets) - 1) > 0
    return Column(BOOLEAN, found, nulls_of(columns))
