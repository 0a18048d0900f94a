"""The exact number of different texts of a pattern, and their order.

A pattern may make the same text in two ways (`a?a?`), so counting its tree would count too much. Here it becomes a
deterministic automaton, in which every text has one path; repeats are bounded, so the automaton has no cycle and the
number of texts behind each state is a plain sum. Built by Thompson's construction and the subset construction.
"""

from __future__ import annotations

from functools import lru_cache

from yurt.core.base.data_classes import dataclass
from yurt.core.patterns.parse import PatternFault
from yurt.core.patterns.tree import Characters, Options, Pattern, Series, Tree

MAX_STATES = 20_000
# The maximum number of states during the construction, which takes about a second.
MAX_WORK = 2_000_000
TOO_LARGE = "the pattern is too large to count its texts"


@dataclass(frozen=True)
class State:
    """A state: whether a text may end here, the number of texts that continue, and the characters of each edge."""

    accepting: bool
    count: int
    edges: tuple[tuple[str, int], ...]


@dataclass(frozen=True)
class Automaton:
    """States in an order in which every edge leads to an earlier one; `start` is the last."""

    states: tuple[State, ...]
    start: int

    @property
    def capacity(self) -> int:
        """The number of different texts."""
        return self.states[self.start].count


class _Threads:
    """A nondeterministic automaton: `empty[s]` are the states reached without a character."""

    def __init__(self) -> None:
        self.empty: list[list[int]] = []
        self.step: list[tuple[str, int] | None] = []
        self.work = 0

    def new(self) -> int:
        if len(self.empty) > 4 * MAX_STATES:
            raise PatternFault(TOO_LARGE, 0)
        self.empty.append([])
        self.step.append(None)
        return len(self.empty) - 1

    def add(self, tree: Tree, start: int) -> int:
        """Add the states of a tree that begins at `start`; return its final state."""
        if isinstance(tree, Characters):
            end = self.new()
            self.step[start] = (tree.chars, end)
            follow = self.new()
            self.empty[end].append(follow)
            return follow
        if isinstance(tree, Series):
            for part in tree.parts:
                start = self.add(part, start)
            return start
        end = self.new()
        if isinstance(tree, Options):
            for part in tree.parts:
                first = self.new()
                self.empty[start].append(first)
                self.empty[self.add(part, first)].append(end)
            return end
        for done in range(tree.high):
            if done >= tree.low:
                self.empty[start].append(end)
            first = self.new()
            self.empty[start].append(first)
            start = self.add(tree.part, first)
        self.empty[start].append(end)
        return end

    def closure(self, states: frozenset[int]) -> frozenset[int]:
        found, waiting = set(states), list(states)
        while waiting:
            for each in self.empty[waiting.pop()]:
                if each not in found:
                    found.add(each)
                    waiting.append(each)
        self.spend(len(found))
        return frozenset(found)

    def spend(self, work: int) -> None:
        """Count the work; raise PatternFault if it is too much."""
        self.work += work
        if self.work > MAX_WORK:
            raise PatternFault(TOO_LARGE, 0)


@lru_cache(maxsize=64)
def automaton(pattern: Pattern) -> Automaton:
    """Return the automaton of a pattern, or raise PatternFault if it would be too large."""
    threads = _Threads()
    begin = threads.new()
    final = threads.add(pattern.tree, begin)
    start = threads.closure(frozenset({begin}))
    edges: dict[frozenset[int], dict[frozenset[int], str]] = {}
    waiting = [start]
    while waiting:
        state = waiting.pop()
        if state in edges:
            continue
        if len(edges) > MAX_STATES:
            raise PatternFault(TOO_LARGE, 0)
        edges[state] = _edges(threads, state)
        waiting += edges[state]
    return _ordered(start, final, edges)


def _edges(threads: _Threads, state: frozenset[int]) -> dict[frozenset[int], str]:
    """Return the states that follow, with the characters that lead there."""
    by_char: dict[str, set[int]] = {}
    steps = [step for each in state if (step := threads.step[each]) is not None]
    threads.spend(sum(len(chars) for chars, _ in steps))
    if len({chars for chars, _ in steps}) == 1:
        return {threads.closure(frozenset(end for _, end in steps)): steps[0][0]}
    for chars, end in steps:
        for char in chars:
            by_char.setdefault(char, set()).add(end)
    chars_by_ends: dict[frozenset[int], list[str]] = {}
    for char, ends in sorted(by_char.items()):
        chars_by_ends.setdefault(frozenset(ends), []).append(char)
    merged: dict[frozenset[int], str] = {}
    for after, found in chars_by_ends.items():
        follow = threads.closure(after)
        merged[follow] = "".join(sorted(merged.get(follow, "") + "".join(found)))
    return merged


def _ordered(
    start: frozenset[int], final: int, edges: dict[frozenset[int], dict[frozenset[int], str]]
) -> Automaton:  # fmt: skip
    """Number the states so that edges lead backwards, and count the texts of each."""
    number: dict[frozenset[int], int] = {}
    states: list[State] = []
    waiting = [start]
    while waiting:
        state = waiting[-1]
        missing = [each for each in edges[state] if each not in number]
        if state in number or missing:
            waiting += missing
            if not missing:
                waiting.pop()
            continue
        follows = tuple((chars, number[after]) for after, chars in edges[state].items())
        count = sum(len(chars) * states[after].count for chars, after in follows) + (final in state)
        number[state] = len(states)
        states.append(State(final in state, count, follows))
        waiting.pop()
    return Automaton(tuple(states), number[start])


def capacity(pattern: Pattern) -> int:
    """Return the number of different texts of a pattern."""
    return automaton(pattern).capacity
