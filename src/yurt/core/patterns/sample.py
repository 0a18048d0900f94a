"""Draws whole columns of texts from a pattern.

At every choice the options are equally likely: each length of a repeat, each branch, each character. A column is first
a matrix of code points, one text per row, in which 0 stands for "no character here"; then it is packed into one string.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from itertools import count

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from yurt.core.base.arrays import Numbers, fixed_strings
from yurt.core.patterns.tree import Characters, Options, Pattern, Repeat, Series, Tree, longest

# A draw takes the number of a choice within the pattern and returns one number in (0, 1) per row.
Draw = Callable[[int], NDArray[np.float64]]
# Code points, one text per row: uint8 if all are ASCII, else uint32.
Matrix = Numbers
MAX_CELLS = 1 << 23
# One draw has 53 bits; it serves several characters as long as enough bits remain for equal chances.
CHOICES_PER_DRAW = 1 << 36


def rows_at_once(pattern: Pattern) -> int:
    """Return how many texts may be drawn at once within a limited amount of memory."""
    return max(1, MAX_CELLS // max(1, pattern.longest))


def sample(pattern: Pattern, rows: int, draw: Draw) -> pa.Array:
    """Return `rows` texts of the pattern as an Arrow string array."""
    fixed = fixed_shape(pattern.tree)
    matrix = np.zeros((rows, pattern.longest), dtype=np.uint32 if _wide(pattern.tree) else np.uint8)
    filler = _Filler(matrix, draw)
    if fixed is None:
        filler.fill(pattern.tree, 0, None)
    else:
        filler.run(fixed, 0, None)
    return pack(matrix, full=fixed is not None)


def spell(sets: list[str], ranks: NDArray[np.int64]) -> pa.Array:
    """Return texts with one character from each set, by number: the last character changes fastest."""
    matrix = np.zeros((len(ranks), len(sets)), dtype=np.uint32 if any(each[-1] > "\x7f" for each in sets) else np.uint8)
    for column in range(len(sets) - 1, -1, -1):
        chars = np.array([ord(char) for char in sets[column]], dtype=matrix.dtype)
        ranks, digit = _divided(ranks, len(chars))
        matrix[:, column] = chars[digit]
    return pack(matrix, full=True)


def _divided(numbers: NDArray[np.int64], by: int) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Return quotient and remainder; cheaper than divmod, which divides twice."""
    quotient = numbers // by
    return quotient, numbers - quotient * by


def pack(matrix: Matrix, full: bool = False) -> pa.Array:
    """Return the rows of a matrix of code points as an Arrow string array, without the zeros.

    `full` says that there are none.
    """
    rows = len(matrix)
    if full and matrix.dtype == np.uint8:
        return fixed_strings(matrix)
    present = matrix != 0
    counts = present.sum(axis=1, dtype=np.int32)
    offsets = np.zeros(rows + 1, dtype=np.int32)
    np.cumsum(counts, out=offsets[1:])
    data = matrix.reshape(-1) if offsets[-1] == matrix.size else matrix[present]
    if matrix.dtype != np.uint8:
        data, ends = _utf8(data)
        offsets = ends[offsets]
    return pa.StringArray.from_buffers(rows, pa.py_buffer(offsets), pa.py_buffer(np.ascontiguousarray(data)))


def _utf8(points: NDArray[np.uint32]) -> tuple[NDArray[np.uint8], NDArray[np.int32]]:
    """Encode code points (RFC 3629); return the bytes, and the start of each code point with the end of all."""
    sizes = 1 + (points >= 0x80) + (points >= 0x800) + (points >= 0x10000)
    ends = np.zeros(len(points) + 1, dtype=np.int32)
    np.cumsum(sizes, out=ends[1:])
    out = np.empty(int(ends[-1]), dtype=np.uint8)
    for size, lead in enumerate((0x00, 0xC0, 0xE0, 0xF0), start=1):
        chosen = np.flatnonzero(sizes == size)
        at, rest = ends[chosen], points[chosen].astype(np.int64)
        for place in range(size - 1, 0, -1):
            out[at + place] = 0x80 | (rest & 0x3F)
            rest = rest >> 6
        out[at] = lead | rest
    return out, ends


def _wide(tree: Tree) -> bool:
    if isinstance(tree, Characters):
        return tree.chars[-1] > "\x7f"
    if isinstance(tree, Repeat):
        return _wide(tree.part)
    return any(_wide(part) for part in tree.parts)


class _Filler:
    """Writes a tree into the columns of a matrix, with a separate draw for each choice."""

    def __init__(self, matrix: Matrix, draw: Draw) -> None:
        self.matrix = matrix
        self.draw = draw
        self.choices = count()

    def fill(self, tree: Tree, column: int, active: NDArray[np.bool_] | None) -> None:
        """Write a tree from `column` on, in the active rows (None means all)."""
        if isinstance(tree, Characters):
            self.run([tree.chars], column, active)
        elif isinstance(tree, Series):
            self.series(tree, column, active)
        elif isinstance(tree, Options):
            chosen = self.pick(len(tree.parts))
            for index, part in enumerate(tree.parts):
                self.fill(part, column, _both(active, chosen == index))
        else:
            self.repeat(tree, column, active)

    def pick(self, options: int) -> NDArray[np.int64]:
        return (self.draw(next(self.choices)) * options).astype(np.int64)

    def series(self, tree: Series, column: int, active: NDArray[np.bool_] | None) -> None:
        run: list[str] = []
        for part in tree.parts:
            fixed = fixed_shape(part)
            if fixed is not None:
                run += fixed
                continue
            self.run(run, column, active)
            column += len(run)
            run = []
            self.fill(part, column, active)
            column += longest(part)
        self.run(run, column, active)

    def run(self, run: list[str], column: int, active: NDArray[np.bool_] | None) -> None:
        """Write adjacent characters, several from one draw."""
        nowhere = active is not None and not active.any()
        while run:
            size, product = 0, 1
            while size < len(run) and (size == 0 or product * len(run[size]) <= CHOICES_PER_DRAW):
                product *= len(run[size])
                size += 1
            if nowhere:
                # The choice is counted, so that later ones are the same in every row.
                if product > 1:
                    next(self.choices)
                column, run = column + size, run[size:]
                continue
            rest = self.pick(product) if product > 1 else None
            for chars in run[:size]:
                table = _code_points(chars, self.matrix.dtype)
                if rest is None or len(chars) == 1:
                    value = table[0]
                else:
                    rest, digit = _divided(rest, len(chars))
                    value = table[digit]
                if active is None:
                    self.matrix[:, column] = value
                else:
                    np.copyto(self.matrix[:, column], value, where=active)
                column += 1
            run = run[size:]

    def repeat(self, tree: Repeat, column: int, active: NDArray[np.bool_] | None) -> None:
        times = None if tree.low == tree.high else tree.low + self.pick(tree.high - tree.low + 1)
        if isinstance(tree.part, Characters) and len(tree.part.chars) == 1 and times is not None:
            # A character without a choice: all positions at once.
            where = np.arange(tree.high) < times[:, None]
            where = where if active is None else where & active[:, None]
            np.copyto(self.matrix[:, column : column + tree.high], ord(tree.part.chars), where=where)
            return
        width = longest(tree.part)
        for index in range(tree.high):
            still = active if times is None or index < tree.low else _both(active, times > index)
            self.fill(tree.part, column + index * width, still)


def fixed_shape(tree: Tree) -> list[str] | None:
    """Return the character sets of a tree that always has the same shape, else None."""
    if isinstance(tree, Characters):
        return [tree.chars]
    if isinstance(tree, Repeat):
        inside = fixed_shape(tree.part) if tree.low == tree.high else None
        return None if inside is None else inside * tree.low
    if isinstance(tree, Series):
        parts = [fixed_shape(part) for part in tree.parts]
        if all(part is not None for part in parts):
            return [chars for part in parts if part for chars in part]
    return None


@lru_cache(1024)
def _code_points(chars: str, kind: np.dtype[np.generic]) -> Matrix:
    return np.array([ord(char) for char in chars], dtype=kind)


def _both(left: NDArray[np.bool_] | None, right: NDArray[np.bool_]) -> NDArray[np.bool_]:
    return right if left is None else left & right
