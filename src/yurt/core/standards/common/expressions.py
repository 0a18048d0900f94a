"""Patterns as regular expressions of other standards.

Every character is written as itself or in a class, so that `.`, `\\w`, and the like mean the same everywhere.
"""

from __future__ import annotations

from yurt.core.base.data_classes import dataclass
from yurt.core.patterns.charsets import PRINTABLE
from yurt.core.patterns.tree import Characters, Options, Pattern, Repeat, Series, Tree


@dataclass(frozen=True)
class Dialect:
    """How a standard writes an expression: its groups, and the characters that need a backslash."""

    group: str
    special: str
    of_class: str
    # Characters that texts of the standard cannot have; they are left out of classes.
    never: str = ""
    # Whether a control character is written by its number.
    numbered: bool = False


# ECMA-262 (with the flag `u`), which JSON Schema names, and Python's `re`.
ECMA = Dialect("(?:", "^$\\.*+?()[]{}|/", "\\]^-[", numbered=True)
# XML Schema, part 2, appendix F; such an expression always matches from end to end.
XSD = Dialect("(", "\\|.?*+(){}-[]^", "\\]^-[", "".join(map(chr, [*range(9), 11, 12, *range(14, 32), 0xFFFE, 0xFFFF])))
NAMED = {"\n": "\\n", "\r": "\\r", "\t": "\\t"}


def ecma(pattern: Pattern) -> str:
    """Return the expression of ECMA-262, with marks for both ends."""
    inside = _tree(pattern.tree, ECMA)
    return f"^{inside}$" if isinstance(pattern.tree, Series) else f"^(?:{inside})$"


def xsd(pattern: Pattern) -> str:
    """Return the expression of XML Schema."""
    return _tree(pattern.tree, XSD)


def _tree(tree: Tree, dialect: Dialect) -> str:
    if isinstance(tree, Characters):
        return _characters(tree, dialect)
    if isinstance(tree, Series):
        return "".join(_part(each, dialect) for each in tree.parts)
    if isinstance(tree, Options):
        return "|".join(_tree(each, dialect) for each in tree.parts)
    return _part(tree.part, dialect, repeated=True) + _times(tree)


def _part(tree: Tree, dialect: Dialect, *, repeated: bool = False) -> str:
    """Return the expression of a part, in a group where it would otherwise mean something else."""
    grouped = isinstance(tree, Options) or (repeated and not isinstance(tree, Characters))
    inside = _tree(tree, dialect)
    return f"{dialect.group}{inside})" if grouped else inside


def _times(tree: Repeat) -> str:
    if tree.endless:
        return {0: "*", 1: "+"}.get(tree.low, f"{{{tree.low},}}")
    if (tree.low, tree.high) == (0, 1):
        return "?"
    if tree.low == tree.high:
        return "" if tree.low == 1 else f"{{{tree.low}}}"
    return f"{{{tree.low},{tree.high}}}"


def _characters(tree: Characters, dialect: Dialect) -> str:
    if tree.but is None:
        chars = "".join(each for each in tree.chars if each not in dialect.never)
        if len(chars) == 1:
            return _escaped(chars, dialect.special, dialect)
        return f"[{_spans(chars, dialect)}]"
    # Every character outside printable ASCII is allowed as well, except those in `but`.
    barred = {each for each in PRINTABLE if each not in tree.chars}
    barred |= {each for each in tree.but if each not in PRINTABLE and each not in dialect.never}
    if not barred:
        return r"[\s\S]"
    return f"[^{_spans(''.join(sorted(barred)), dialect)}]"


def _spans(chars: str, dialect: Dialect) -> str:
    """Return characters, which are sorted, as the ranges of a class."""
    spans: list[list[int]] = []
    alone = ""
    for char in chars:
        # Not every program takes a character with a backslash as an end of a range.
        if char in dialect.of_class:
            alone += "\\" + char
        elif spans and ord(char) == spans[-1][1] + 1:
            spans[-1][1] = ord(char)
        else:
            spans.append([ord(char)] * 2)
    found = ""
    for low, high in spans:
        ends = [_escaped(chr(each), dialect.of_class, dialect) for each in (low, high)]
        found += ends[0] if low == high else "".join(ends) if high == low + 1 else "-".join(ends)
    return found + alone


def _escaped(char: str, special: str, dialect: Dialect) -> str:
    if char in NAMED:
        return NAMED[char]
    if char < " " or char == "\x7f":
        return f"\\x{ord(char):02x}" if dialect.numbered else char
    return "\\" + char if char in special else char
