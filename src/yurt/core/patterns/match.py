"""Whether a text follows a pattern, and a pattern without some characters.

The match walks along all ways at once (K. Thompson, "Regular expression search algorithm", 1968), so that no pattern
can make it slow: its time is bounded by the length of the text times the size of the pattern.
"""

from __future__ import annotations

from yurt.core.patterns.tree import Characters, Options, Pattern, Repeat, Series, Tree


def matches(pattern: Pattern, text: str) -> bool:
    """Return whether the whole text follows the pattern."""
    return len(text) in _ends(pattern.tree, text, {0})


def _ends(tree: Tree, text: str, starts: set[int]) -> set[int]:
    """Return where the tree may end in the text when it begins at one of `starts`."""
    if isinstance(tree, Characters):
        return {at + 1 for at in starts if at < len(text) and tree.accepts(text[at])}
    if isinstance(tree, Series):
        for part in tree.parts:
            starts = _ends(part, text, starts)
        return starts
    if isinstance(tree, Options):
        return set().union(*(_ends(part, text, starts) for part in tree.parts))
    return _repeated(tree, text, starts)


def _repeated(tree: Repeat, text: str, starts: set[int]) -> set[int]:
    for _ in range(tree.low):
        starts = _ends(tree.part, text, starts)
    found, latest = set(starts), starts
    times = tree.low
    while latest and (tree.endless or times < tree.high):
        latest = _ends(tree.part, text, latest) - found
        found |= latest
        times += 1
    return found


def without(pattern: Pattern, chars: str) -> Pattern | None:
    """Return the pattern of those texts that have none of the characters; None when no text is left."""
    tree = _without(pattern.tree, set(chars))
    return Pattern(f"{pattern.source} without {chars}", tree) if tree is not None else None


def _without(tree: Tree, chars: set[str]) -> Tree | None:
    if isinstance(tree, Characters):
        left = "".join(each for each in tree.chars if each not in chars)
        return Characters(left, tree.but) if left else None
    if isinstance(tree, Series):
        parts = [_without(part, chars) for part in tree.parts]
        return Series(tuple(part for part in parts if part is not None)) if None not in parts else None
    if isinstance(tree, Options):
        kept = tuple(part for part in (_without(each, chars) for each in tree.parts) if part is not None)
        return Options(kept) if kept else None
    inside = _without(tree.part, chars)
    if inside is not None:
        return Repeat(inside, tree.low, tree.high, tree.endless)
    return Series(()) if tree.low == 0 else None
