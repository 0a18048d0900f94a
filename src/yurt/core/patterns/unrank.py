"""Makes the text of each number: different numbers give different texts.

If a pattern has more texts than 2**62, a number cannot name all of them. A walk through the automaton then chooses
freely (by draws) as long as the rest has room for every number, and uses the number only for the rest. Two walks that
separate have made different texts already; two that stay together use different numbers at the same position.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from yurt.core.base.arrays import distinct
from yurt.core.patterns.automaton import Automaton, State, automaton
from yurt.core.patterns.sample import Matrix, fixed_shape, pack, spell
from yurt.core.patterns.tree import Pattern

LIMIT = 1 << 62
ROOMY = 1 << 50
FINISHED = -1

# A draw takes the position in the text and returns one number in (0, 1) for each of the given rows.
PositionDraw = Callable[[int, NDArray[np.intp]], NDArray[np.float64]]


def numbers(pattern: Pattern) -> int:
    """Return how many numbers `unrank` takes: all texts of the pattern, or as many as can safely be distinguished."""
    machine = automaton(pattern)
    if machine.capacity <= LIMIT:
        return machine.capacity
    best = max(state.count for state in machine.states if state.count <= LIMIT)
    return best if best >= ROOMY else LIMIT


def unrank(pattern: Pattern, ranks: NDArray[np.int64], draw: PositionDraw) -> pa.Array:
    """Return the texts with these numbers (0 to `numbers(pattern) - 1`) as an Arrow string array."""
    machine = automaton(pattern)
    room = numbers(pattern)
    fixed = fixed_shape(pattern.tree)
    if fixed is not None and machine.capacity == room:
        return spell(fixed, ranks)
    wide = any(chars[-1] > "\x7f" for state in machine.states for chars, _ in state.edges)
    matrix = np.zeros((len(ranks), pattern.longest), dtype=np.uint32 if wide else np.uint8)
    at = np.full(len(ranks), machine.start, dtype=np.int64)
    left = ranks.astype(np.int64)
    for column in range(pattern.longest + 1):
        for number in distinct(at):
            if number == FINISHED:
                continue
            lines = np.flatnonzero(at == number)
            state = machine.states[number]
            roomy = [edge for edge in state.edges if machine.states[edge[1]].count >= room]
            if state.count > room and roomy:
                _choose_freely(machine, roomy, matrix, at, lines, column, draw)
            else:
                _spend(machine, state, matrix, at, left, lines, column)
    return pack(matrix)


def _choose_freely(
    machine: Automaton,
    edges: list[tuple[str, int]],
    matrix: Matrix,
    at: NDArray[np.int64],
    lines: NDArray[np.intp],
    column: int,
    draw: PositionDraw,
) -> None:
    chars = np.array([ord(char) for group, _ in edges for char in group], dtype=matrix.dtype)
    follows = np.array([after for group, after in edges for _ in group], dtype=np.int64)
    most = max(machine.states[after].count for _, after in edges)
    weights = np.array([machine.states[after].count / most for group, after in edges for _ in group])
    ends = np.cumsum(weights) / weights.sum()
    chosen = np.minimum(np.searchsorted(ends, draw(column, lines), side="right"), len(chars) - 1)
    matrix[lines, column] = chars[chosen]
    at[lines] = follows[chosen]


def _spend(
    machine: Automaton,
    state: State,
    matrix: Matrix,
    at: NDArray[np.int64],
    left: NDArray[np.int64],
    lines: NDArray[np.intp],
    column: int,
) -> None:
    ending = left[lines] < int(state.accepting)
    at[lines[ending]] = FINISHED
    lines = lines[~ending]
    if not len(lines):
        return
    rest = left[lines] - int(state.accepting)
    before = 0
    for group, after in state.edges:
        each = min(machine.states[after].count, LIMIT)
        total = min(each * len(group), 2 * LIMIT - 1)
        inside = (rest >= before) & (rest - before < total) if before < LIMIT else np.zeros(len(rest), bool)
        if inside.any():
            index, remaining = np.divmod(rest[inside] - before, each)
            chars = np.array([ord(char) for char in group], dtype=matrix.dtype)
            chosen = lines[inside]
            matrix[chosen, column] = chars[index]
            at[chosen] = after
            left[chosen] = remaining
        before += total
