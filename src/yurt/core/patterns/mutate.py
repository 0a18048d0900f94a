"""Texts at the edges of a pattern, and texts just outside it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import reduce
from operator import or_

from yurt.core.patterns.match import matches
from yurt.core.patterns.tree import Characters, Options, Pattern, Repeat, Series, Tree, lengths
from yurt.core.patterns.tree import longest as longest_of

# Longer texts are not made as examples.
LONGEST = 5000
# The maximum number of branches of a pattern that are examples each.
MOST = 20


def shortest(pattern: Pattern) -> str:
    """Return one of the shortest texts."""
    return _text(pattern.tree, False)


def longest(pattern: Pattern) -> str | None:
    """Return one of the longest texts; None if it is very long or unlimited."""
    return _text(pattern.tree, True) if pattern.longest <= LONGEST and pattern.lengths[1] is not None else None


def typical(pattern: Pattern) -> str:
    """Return a text of middle length with middle characters."""
    return _text(pattern.tree, None)


def of_length(pattern: Pattern, length: int) -> str | None:
    """Return a text with this number of characters; None if there is none."""
    found = _Lengths()
    return found.text(pattern.tree, length) if found.has(pattern.tree, length) else None


class _Lengths:
    """The possible lengths of texts of a part, as the bits of a number, and a text of each length.

    A repetition is examined with all copies except the last as short as possible, or as long as possible.
    """

    def __init__(self) -> None:
        self._known: dict[int, int] = {}

    def has(self, tree: Tree, length: int) -> bool:
        """Return whether there is a text of a length of at most LONGEST."""
        return 0 <= length <= LONGEST and bool(self.bits(tree) >> length & 1)

    def bits(self, tree: Tree) -> int:
        """Return the lengths up to LONGEST, each as a bit."""
        if id(tree) not in self._known:
            self._known[id(tree)] = self._bits(tree) & ((2 << LONGEST) - 1)
        return self._known[id(tree)]

    def _bits(self, tree: Tree) -> int:
        if isinstance(tree, Characters):
            return 0b10
        if isinstance(tree, Series):
            return self._behind(tree.parts)[0]
        if isinstance(tree, Options):
            return reduce(or_, map(self.bits, tree.parts), 0)
        found = 0 if tree.low else 1
        for times in range(max(tree.low, 1), tree.high + 1):
            copies = [(times - 1) * each for each in self._ends(tree)]
            if min(copies, default=LONGEST + 1) > LONGEST:
                break
            found |= reduce(or_, (self.bits(tree.part) << each for each in copies if each <= LONGEST))
            if not any(copies) and times > 1:
                break
        return found

    def _ends(self, tree: Repeat) -> list[int]:
        low, high = lengths(tree.part)[0], longest_of(tree.part)
        return [each for each in dict.fromkeys((low, high)) if self.has(tree.part, each)]

    def _behind(self, parts: tuple[Tree, ...]) -> list[int]:
        """Return the lengths of all parts from each one on; after the last there is the length 0."""
        found = [1]
        for part in reversed(parts):
            few, many = sorted((self.bits(part), found[-1]), key=int.bit_count)
            sums = reduce(or_, (many << at for at in range(few.bit_length()) if few >> at & 1), 0)
            found.append(sums & ((2 << LONGEST) - 1))
        return found[::-1]

    def text(self, tree: Tree, length: int) -> str:
        """Return a text of a possible length: each part takes as few characters as possible."""
        if isinstance(tree, Characters):
            return tree.chars[len(tree.chars) // 2]
        if isinstance(tree, Options):
            return self.text(next(each for each in tree.parts if self.has(each, length)), length)
        if isinstance(tree, Repeat):
            return self._repeated(tree, length)
        texts, behind = [], self._behind(tree.parts)
        for part, rest in zip(tree.parts, behind[1:], strict=True):
            own = next(each for each in range(length + 1) if self.has(part, each) and rest >> length - each & 1)
            texts.append(self.text(part, own))
            length -= own
        return "".join(texts)

    def _repeated(self, tree: Repeat, length: int) -> str:
        if not length and not tree.low:
            return ""
        return next(
            self.text(tree.part, each) * (times - 1) + self.text(tree.part, length - (times - 1) * each)
            for times in range(max(tree.low, 1), tree.high + 1)
            for each in self._ends(tree)
            if self.has(tree.part, length - (times - 1) * each)
        )


def _text(tree: Tree, long: bool | None) -> str:
    if isinstance(tree, Characters):
        return tree.chars[len(tree.chars) // 2]
    if isinstance(tree, Series):
        return "".join(_text(each, long) for each in tree.parts)
    if isinstance(tree, Options):
        texts = sorted((_text(each, long) for each in tree.parts), key=len)
        return texts[-1] if long else texts[0]
    times = tree.low if long is False else tree.high if long else max(tree.low, min(tree.high, tree.low + 2))
    return _text(tree.part, long) * times


def branches(pattern: Pattern) -> Iterator[tuple[str, str]]:
    """Yield a word and a text for each branch, for each optional part, and for the ends of each class."""
    seen: set[str] = set()
    for at, (name, text) in enumerate(_branches(pattern.tree, 1)):
        if at > MOST * 3 or len(seen) >= MOST:
            return
        if text not in seen and len(text) <= LONGEST:
            seen.add(text)
            yield name, text


def _branches(tree: Tree, place: int) -> Iterator[tuple[str, str]]:
    """Vary one choice at a time, the others as in the typical text; the tree begins at a position of that text."""
    if isinstance(tree, Characters):
        if len(tree.chars) > 1:
            yield f"{tree.chars[0]} at position {place}", tree.chars[0]
            yield f"{tree.chars[-1]} at position {place}", tree.chars[-1]
    elif isinstance(tree, Options):
        for each in tree.parts:
            text = _text(each, None)
            yield f"branch {text[:20]} from position {place}", text
            yield from _branches(each, place)
    elif isinstance(tree, Repeat):
        if tree.low < tree.high:
            for count in (tree.low, tree.high):
                yield f"{count} times {_shown(tree.part)} from position {place}", _text(tree.part, None) * count
        if tree.high:
            rest = _text(tree.part, None) * (max(tree.low, 1) - 1)
            yield from ((name, text + rest) for name, text in _branches(tree.part, place))
    else:
        texts = [_text(each, None) for each in tree.parts]
        for at, each in enumerate(tree.parts):
            for name, text in _branches(each, place + sum(map(len, texts[:at]))):
                yield name, "".join([*texts[:at], text, *texts[at + 1 :]])


def _shown(tree: Tree) -> str:
    """Return a word for a part: the ends of a class, or a text of it."""
    if isinstance(tree, Characters) and len(tree.chars) > 1:
        return f"{tree.chars[0]} to {tree.chars[-1]}"
    return _text(tree, None)[:20]


# ---- single steps that leave a language ------------------------------------------------------------------------------

Step = Callable[[str, int], str | None]
FOREIGN = "§"


def _dropped(text: str, at: int) -> str | None:
    return text[:at] + text[at + 1 :]


def _doubled(text: str, at: int) -> str | None:
    return text[: at + 1] + text[at:]


def _swapped(text: str, at: int) -> str | None:
    if at + 1 >= len(text) or text[at] == text[at + 1]:
        return None
    return text[:at] + text[at + 1] + text[at] + text[at + 2 :]


def _foreign(text: str, at: int) -> str | None:
    return text[:at] + FOREIGN + text[at + 1 :]


def _letter(text: str, at: int) -> str | None:
    """An O for a zero, an l for a one, a letter for any other digit."""
    if not text[at].isdigit():
        return None
    return text[:at] + {"0": "O", "1": "l"}.get(text[at], "x") + text[at + 1 :]


def _digit(text: str, at: int) -> str | None:
    return text[:at] + "0" + text[at + 1 :] if text[at].isalpha() else None


def _case(text: str, at: int) -> str | None:
    return text[:at] + text[at].swapcase() + text[at + 1 :] if text[at].swapcase() != text[at] else None


def _separator(text: str, at: int) -> str | None:
    other = {"-": "_", ".": ",", "/": "-", ":": ".", "@": " at ", " ": "-", "_": "-", "+": "00"}.get(text[at])
    return None if other is None else text[:at] + other + text[at + 1 :]


def _blank(text: str, at: int) -> str | None:
    return text[:at] + " " + text[at:]


STEPS: dict[str, tuple[str, Step]] = {
    "dropped": ("a character is missing", _dropped),
    "doubled": ("a character is repeated", _doubled),
    "swapped": ("two neighbouring characters are swapped", _swapped),
    "foreign character": (f"{FOREIGN} replaces a character", _foreign),
    "letter for digit": ("a letter replaces a digit", _letter),
    "digit for letter": ("a digit replaces a letter", _digit),
    "wrong case": ("a letter has the wrong case", _case),
    "wrong separator": ("another separator is used", _separator),
    "space inside": ("there is a space inside", _blank),
}


def mutated(text: str, step: Step, wrong: Callable[[str], bool]) -> str | None:
    """Return the text after one change that breaks it: near the middle, else further away; None if no change does."""
    order = sorted(range(len(text)), key=lambda at: abs(at - len(text) // 2))
    for at in order[:200]:
        found = step(text, at)
        if found is not None and found != text and wrong(found):
            return found
    return None


def outside(pattern: Pattern) -> Callable[[str], bool]:
    """Return whether a text does not follow a pattern."""
    return lambda text: not matches(pattern, text)
