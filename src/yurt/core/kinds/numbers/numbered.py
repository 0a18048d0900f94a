"""Numbers of a fixed shape with check digits.

A shape has one character per position: `#` is any digit, `+` one above 0, `@` any letter, `=` a check digit, a small
letter the next digit of a given part (a date, a sex); digits and capitals stand for themselves.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from yurt.core.base.arrays import Numbers, fixed_strings
from yurt.core.base.types import TEXT
from yurt.core.columns.column import Column
from yurt.core.kinds.numbers.digits import Cells

if TYPE_CHECKING:
    from yurt.core.kinds.context import KindContext

ALPHABET = np.frombuffer(b"0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZ", dtype=np.uint8)
FREE = {"#": (0, 10), "+": (1, 9), "@": (10, 26)}
# How often a free digit is increased until the check digit is allowed.
TRIES = 60
Check = Callable[[Cells], Numbers]


def numbered(
    context: KindContext,
    shape: str,
    checks: Sequence[Check] = (),
    given: Mapping[str, Cells] | None = None,
    shared: bool = False,
    purpose: str = "",
) -> Cells:
    """Return a number of the shape for each row, as cells; `checks` give the values of the `=` from the left.

    If a check returns -1, the last free digit is increased. With `shared`, the record's kinds agree on the number.
    """
    cells = np.zeros((context.rows, len(shape)), dtype=np.int64)
    _free(context, shape, cells, shared, purpose)
    taken: dict[str, int] = {}
    for place, char in enumerate(shape):
        if char.isdigit():
            cells[:, place] = int(char)
        elif char.isupper():
            cells[:, place] = ord(char) - ord("A") + 10
        elif char.islower():
            taken[char] = taken.get(char, -1) + 1
            cells[:, place] = (given or {})[char][:, taken[char]]
    again = _checked(cells, shape, checks)
    bumped = max((place for place, char in enumerate(shape) if char == "#"), default=0)
    for _ in range(TRIES):
        if not again.any():
            break
        part = cells[again]
        part[:, bumped] = (part[:, bumped] + 1) % 10
        _carry(part, shape, bumped)
        wrong = _checked(part, shape, checks)
        cells[again] = part
        places = np.flatnonzero(again)
        again = np.zeros(context.rows, dtype=np.bool_)
        again[places[wrong]] = True
    return cells


def _carry(cells: Cells, shape: str, place: int) -> None:
    """Increase the preceding free digit as well where one has gone from 9 to 0."""
    before = max((at for at, char in enumerate(shape[:place]) if char == "#"), default=-1)
    if before >= 0:
        over = cells[:, place] == 0
        cells[over, before] = (cells[over, before] + 1) % 10


def _checked(cells: Cells, shape: str, checks: Sequence[Check]) -> NDArray[np.bool_]:
    """Fill in the check digits; return the rows without a valid one."""
    wrong = np.zeros(len(cells), dtype=np.bool_)
    places = [place for place, char in enumerate(shape) if char == "="]
    for check in checks:
        found = check(cells)
        columns = found[:, None] if found.ndim == 1 else found
        wrong |= (columns < 0).any(axis=1)
        for column in np.maximum(columns, 0).T:
            cells[:, places.pop(0)] = column
    return wrong


def _free(context: KindContext, shape: str, cells: Cells, shared: bool, purpose: str) -> None:
    """Fill in the free positions: drawn, or different in each row if the field is unique."""
    places = [place for place, char in enumerate(shape) if char in FREE]
    sizes = [FREE[shape[place]][1] for place in places]
    starts = [FREE[shape[place]][0] for place in places]
    if context.unique:
        # As many positions as fit into 63 bits are numbered; the rest is drawn.
        room, counted = 1, 0
        while counted < len(places) and room * sizes[counted] < 1 << 62:
            room *= sizes[counted]
            counted += 1
        number = context.permuted(room)
        for place, start, size in list(zip(places, starts, sizes, strict=True))[:counted]:
            number, digit = np.divmod(number, size)
            cells[:, place] = digit + start
        places, starts, sizes = places[counted:], starts[counted:], sizes[counted:]
    for first in range(0, len(places), 9):
        room = int(np.prod(sizes[first : first + 9], dtype=np.int64)) if places[first:] else 1
        unit = context.unit("number", purpose, first) if shared else context.own_unit("number", purpose, first)
        number = (unit * room).astype(np.int64)
        for place, start, size in list(zip(places, starts, sizes, strict=True))[first : first + 9]:
            number, digit = np.divmod(number, size)
            cells[:, place] = digit + start


def written(cells: Cells, form: str = "") -> Column:
    """Return numbers as texts; in a form each `x` is the next position, and every other character stands for itself."""
    letters = ALPHABET[cells]
    if not form:
        return Column(TEXT, fixed_strings(letters))
    width = len(form.encode())
    whole = np.empty((len(cells), width), dtype=np.uint8)
    places = iter(range(cells.shape[1]))
    for at, byte in enumerate(form.encode()):
        whole[:, at] = letters[:, next(places)] if byte == ord("x") else byte
    return Column(TEXT, fixed_strings(whole))


def places_of(values: Numbers, size: int) -> Cells:
    """Return the last `size` decimal digits of each number, one per column."""
    powers = 10 ** np.arange(size - 1, -1, -1, dtype=np.int64)
    found: Cells = values.astype(np.int64)[:, None] // powers % 10
    return found
