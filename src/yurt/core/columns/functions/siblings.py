"""Functions of the rows of one parent; their values come from the scope, because rows are their input."""

from __future__ import annotations

from yurt.core.columns.functions.registry import declared

declared(
    "ordinal",
    "",
    "integer",
    "the number of a row among those of its parent, from 1",
    "",
    group="rows of the same parent",
)
declared(
    "previous",
    "field any",
    "common",
    "a field of the previous row of the same parent, or else the second argument",
    "",
    group="rows of the same parent",
    least=1,
)
declared(
    "running",
    "field",
    "summed",
    "the sum of a field over its parent's rows so far, this one included",
    "",
    group="rows of the same parent",
)
