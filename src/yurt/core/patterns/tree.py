"""The tree of a regular expression: characters, sequences, choices, and bounded repeats."""

from __future__ import annotations

from collections.abc import Iterator
from functools import cached_property
from itertools import groupby

from yurt.core.base.data_classes import dataclass


@dataclass(frozen=True)
class Characters:
    """One character out of `chars`, which is sorted and without duplicates.

    A negated class or `.` also accepts every character outside printable ASCII, except those in `but`; generated texts
    only contain `chars`.
    """

    chars: str
    but: str | None = None

    def accepts(self, char: str) -> bool:
        """Return whether an existing text may have the character at this position."""
        return char in self.chars or (self.but is not None and not " " <= char <= "~" and char not in self.but)


@dataclass(frozen=True)
class Series:
    """One part after the other."""

    parts: tuple[Tree, ...]


@dataclass(frozen=True)
class Options:
    """Exactly one of the parts."""

    parts: tuple[Tree, ...]


@dataclass(frozen=True)
class Repeat:
    """The part, `low` to `high` times; an `endless` one accepts more, but never generates more."""

    part: Tree
    low: int
    high: int
    endless: bool = False


Tree = Characters | Series | Options | Repeat
# In a class, every character but one that Unicode reserves for no text at all.
ANY = "[^\uffff]"


@dataclass(frozen=True)
class Pattern:
    """A regular expression as written, and its tree."""

    source: str
    tree: Tree

    @cached_property
    def longest(self) -> int:
        """The length of the longest text, in characters."""
        return longest(self.tree)

    @cached_property
    def lengths(self) -> tuple[int, int | None]:
        """The minimum and maximum number of characters of a text that follows it; None for no maximum."""
        return lengths(self.tree)


def lengths(tree: Tree) -> tuple[int, int | None]:
    """Return the minimum and maximum number of characters of a text that follows the tree; None for no maximum."""
    if isinstance(tree, Characters):
        return 1, 1
    if isinstance(tree, Repeat):
        low, high = lengths(tree.part)
        return tree.low * low, None if tree.endless or high is None else tree.high * high
    parts = [lengths(each) for each in tree.parts]
    highs = [high for _, high in parts]
    if isinstance(tree, Series):
        return sum(low for low, _ in parts), None if None in highs else sum(each for each in highs if each is not None)
    return min(low for low, _ in parts), None if None in highs else max(each for each in highs if each is not None)


def longest(tree: Tree) -> int:
    """Return the length of the longest text of the tree."""
    if isinstance(tree, Characters):
        return 1
    if isinstance(tree, Repeat):
        return tree.high * longest(tree.part)
    lengths = [longest(part) for part in tree.parts]
    return sum(lengths) if isinstance(tree, Series) else max(lengths)


def weight(tree: Tree) -> int:
    """Return the number of characters of a tree after its repeats are expanded: the size of every automaton for it."""
    if isinstance(tree, Characters):
        return 1
    if isinstance(tree, Repeat):
        return 1 + max(tree.high, 1) * weight(tree.part)
    return 1 + sum(weight(each) for each in tree.parts)


def literal(text: str) -> Series:
    """Return the tree of exactly this text."""
    return Series(tuple(Characters(char) for char in text))


def by_example(example: str) -> Pattern:
    """Return the pattern of texts shaped like the example.

    A letter stands for any letter of its case, a digit for any digit, every other character for itself; the contents of
    square brackets stay as they are: `[HK]-402`.
    """
    parts: list[Tree] = []
    rest = example
    while rest:
        close = rest.find("]")
        if rest[0] == "[" and close > 1:
            parts += literal(rest[1:close]).parts
            rest = rest[close + 1 :]
            continue
        parts.append(Characters(_alike(rest[0])))
        rest = rest[1:]
    return Pattern(f'like "{example}"', Series(tuple(parts)))


def _alike(char: str) -> str:
    for group in ("0123456789", "ABCDEFGHIJKLMNOPQRSTUVWXYZ", "abcdefghijklmnopqrstuvwxyz"):
        if char in group:
            return group
    return char


def expression_of(pattern: Pattern) -> str:
    """Return a regular expression for a pattern, also for one that was written as a length or an example."""
    if not pattern.source.startswith(("text ", "like ")):
        return pattern.source
    return _written(pattern.tree)


def _written(tree: Tree) -> str:
    match tree:
        case Characters(chars, but) if but is not None:
            return ANY if not but else f"[^{''.join(map(_escaped, but))}]"
        case Characters(chars):
            return f"[{''.join(_stretches(chars))}]"
        case Series(parts):
            return "".join(map(_written, parts))
        case Options(parts):
            return f"({'|'.join(map(_written, parts))})"
        case Repeat(part, low, high, endless):
            return f"{_written(part)}{{{low},{'' if endless else high}}}"


def _stretches(chars: str) -> Iterator[str]:
    """Yield the parts of a class: neighbours as a range."""
    for _, group in groupby(enumerate(chars), key=lambda pair: ord(pair[1]) - pair[0]):
        part = [char for _, char in group]
        yield f"{_escaped(part[0])}-{_escaped(part[-1])}" if len(part) > 2 else "".join(map(_escaped, part))


def _escaped(char: str) -> str:
    return "\\" + char if char in "\\]^-[" else char
