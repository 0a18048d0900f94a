"""A pattern as a regular expression of RE2, which holds whole columns against it in linear time."""

from __future__ import annotations

from functools import lru_cache

from yurt.core.patterns.charsets import PRINTABLE
from yurt.core.patterns.tree import Characters, Options, Pattern, Repeat, Tree

# RE2 repeats no more often than this, and grows with what is repeated.
MAX_REPEAT = 1000
MAX_SIZE = 20_000


@lru_cache(maxsize=256)
def regex_of(pattern: Pattern) -> str | None:
    """Return the expression for whole texts; None where it would be too large for RE2."""
    if _size(pattern.tree) > MAX_SIZE:
        return None
    return rf"\A(?:{_written(pattern.tree)})\z"


def _size(tree: Tree) -> int:
    if isinstance(tree, Characters):
        return 1
    if isinstance(tree, Repeat):
        return MAX_SIZE + 1 if tree.high > MAX_REPEAT else max(tree.high, 1) * _size(tree.part)
    return 1 + sum(_size(each) for each in tree.parts)


def _written(tree: Tree) -> str:
    if isinstance(tree, Characters):
        return _class(tree)
    if isinstance(tree, Repeat):
        return f"(?:{_written(tree.part)}){{{tree.low},{'' if tree.endless else tree.high}}}"
    if isinstance(tree, Options):
        return "(?:" + "|".join(_written(each) for each in tree.parts) + ")"
    return "".join(_written(each) for each in tree.parts)


def _class(tree: Characters) -> str:
    codes = sorted(map(ord, tree.chars))
    spans: list[list[int]] = []
    for code in codes:
        if spans and code == spans[-1][1] + 1:
            spans[-1][1] = code
        else:
            spans.append([code, code])
    inside = "".join(f"\\x{{{low:X}}}-\\x{{{high:X}}}" if high > low else f"\\x{{{low:X}}}" for low, high in spans)
    if tree.but is None:
        return f"[{inside}]"
    # Every character outside printable ASCII is accepted too, apart from those in `but`.
    outside = "".join(f"\\x{{{ord(each):X}}}" for each in tree.but if each not in PRINTABLE)
    return f"(?:[{inside}]|[^ -~{outside}])" if inside else f"[^ -~{outside}]"
