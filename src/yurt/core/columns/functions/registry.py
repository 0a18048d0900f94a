"""The functions of expressions: signature, meaning, and example beside the computation over whole columns.

The language must not load numerics to know the signatures, so `tools/catalogue.py` writes them to
`model/functions.json`, and `make check` compares the file with this registry.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import reduce

import numpy as np

from yurt.core.columns.column import Column, Mask
from yurt.core.columns.scope import Scope

Kernel = Callable[[list[Column], Scope], Column]
KERNELS: dict[str, Kernel] = {}
# The signatures for the index, by function name.
SIGNATURES: dict[str, dict[str, str | int]] = {}


def declared(
    name: str, takes: str, gives: str, meaning: str, example: str, *, group: str, least: int | None = None,
    most: int | None = None,
) -> None:  # fmt: skip
    """Register a signature; see `yurt.core.model.functions.Function` for its parts."""
    size = len(takes.split())
    SIGNATURES[name] = {
        "group": group, "takes": takes, "gives": gives, "meaning": meaning, "example": example,
        "least": size if least is None else least, "most": size if most is None else most,
    }  # fmt: skip


def function(
    takes: str, gives: str, meaning: str, example: str, *, group: str = "", least: int | None = None,
    most: int | None = None,
) -> Callable[[Kernel], Kernel]:  # fmt: skip
    """Register the computation of a function under its name; a trailing underscore avoids Python's own names.

    The group is the name of the module unless another one is given.
    """

    def enter(kernel: Kernel) -> Kernel:
        name = kernel.__name__.rstrip("_")
        own = kernel.__module__.rpartition(".")[2]
        declared(name, takes, gives, meaning, example, group=group or own, least=least, most=most)
        KERNELS[name] = kernel
        return kernel

    return enter


def nulls_of(columns: list[Column]) -> Mask | None:
    """Return where any of the columns has no value."""
    masks = [each.nulls for each in columns if each.nulls is not None]
    return reduce(np.logical_or, masks) if masks else None
