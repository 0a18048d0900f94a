"""A pattern as a regular expression of RE2, which matches whole columns in linear time."""

from __future__ import annotations

from functools import lru_cache

from yurt.core.patterns.charsets import PRINTABLE
from yurt.core.patterns.tree import Characters, Options, Pattern, Repeat, Tree, weight

# RE2 limits repeats, with nested repeats multiplied, and grows with what is repeated.
MAX_REPEAT = 1000
MAX_SIZE = 20_000
MAX_CHARACTERS = 200_000


@lru_cache(maxsize=256)
def regex_of(pattern: Pattern) -> str | None:
    """Return the expression for whole texts; None if it would be too large for RE2."""
    if weight(pattern.tree) > MAX_SIZE:
        return None
    written = _written(pattern.tree, MAX_REPEAT)
    return rf"\A(?:{written})\z" if len(written) <= MAX_CHARACTERS else None


def _repeats(tree: Tree) -> int:
    """Return how often the innermost part is repeated by all repeats around it."""
    if isinstance(tree, Characters):
        return 1
    if isinstance(tree, Repeat):
        return max(tree.high, 1) * _repeats(tree.part)
    return max((_repeats(each) for each in tree.parts), default=1)


def _written(tree: Tree, most: int) -> str:
    """Return the expression of a tree whose nested repeats, multiplied, do not exceed `most`."""
    if isinstance(tree, Characters):
        return _class(tree)
    if isinstance(tree, Repeat):
        inside = max(1, min(_repeats(tree.part), most))
        once = max(1, most // inside)
        part = f"(?:{_written(tree.part, most // min(once, max(tree.high, 1)) or 1)})"
        needed = [once] * (tree.low // once) + ([tree.low % once] if tree.low % once else [])
        text = "".join(f"{part}{{{size}}}" for size in needed)
        if tree.endless:
            return text + f"{part}*"
        rest = tree.high - tree.low
        maybe = [once] * (rest // once) + ([rest % once] if rest % once else [])
        return text + "".join(f"{part}{{0,{size}}}" for size in maybe)
    if isinstance(tree, Options):
        return "(?:" + "|".join(_written(each, most) for each in tree.parts) + ")"
    return "".join(_written(each, most) for each in tree.parts)


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
    # Every character outside printable ASCII is accepted too, except those in `but`.
    outside = "".join(f"\\x{{{ord(each):X}}}" for each in tree.but if each not in PRINTABLE)
    return f"(?:[{inside}]|[^ -~{outside}])" if inside else f"[^ -~{outside}]"
