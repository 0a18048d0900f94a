"""What every value of a kind must be like, as far as rules can express it.

A kind states its contract once, beside its definition: see `Kind.allowed` and `Kind.contract`. Engine tests, `verify`,
`cases`, and `coverage` all use that statement. It describes what the standard allows, which is often more than Yurt
draws: `safe` is the narrower range that never reaches real people.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable
from datetime import date
from typing import Any

from yurt.core.base.data_classes import dataclass, field
from yurt.core.kinds import lists
from yurt.core.model.constants import Constant
from yurt.core.patterns.match import matches
from yurt.core.patterns.parse import parse
from yurt.core.patterns.tree import Pattern

# The maximum number of characters of a text that no other rule describes.
LONGEST = 500
# The form of names of persons: at least one letter of any script, none of these alone.
SIGNS = "".join((
    "\x00-\x1f", "\x7f-\x9f", "0-9", r"!\"#$%&*+/:;<=>?@\[\\\]\^_{|}~", "\u00a1-\u00a9", "\u00ab-\u00b3",
    "\u00b6-\u00b9", "\u00bb-\u00bf", "\u2100-\u2bff", "\U0001f000-\U0001faff",
))  # fmt: skip
NAME = ("[^\\x00-\\x1f\\x7f]{1,100}", f".*[^{SIGNS} '\u2019.,()\\-].*")


@dataclass(frozen=True)
class Contract:
    """What every value of a kind must be like; an empty part states nothing.

    A text follows each of `patterns` from end to end and, if there are `values`, is one of them. A number or date is
    between `low` and `high`, in units of its type. `check` is the rule of its check digits, for numbers of one of some
    `countries`. `safe` are the patterns of the range that Yurt draws from, if it is narrower. `rest` describes what no
    rule here checks. An `open` contract states only the form of values that nobody can list, such as names; `usual` are
    those that Yurt draws.
    """

    patterns: tuple[str, ...] = ()
    values: frozenset[str] | None = None
    low: int | None = None
    high: int | None = None
    check: str = ""
    countries: tuple[str, ...] = ()
    safe: tuple[str, ...] = ()
    rest: str = ""
    open: bool = False
    usual: frozenset[str] | None = None

    @property
    def shapes(self) -> tuple[Pattern, ...]:
        """The patterns, parsed."""
        return tuple(parse(each) for each in self.patterns)

    @property
    def ends(self) -> tuple[int | None, int | None]:
        """The lowest and the highest number."""
        return self.low, self.high

    @property
    def states(self) -> bool:
        """Whether there is any rule."""
        return bool(self.patterns or self.values is not None or self.low is not None or self.high is not None)

    def takes(self, text: str) -> bool:
        """Return whether a text follows the patterns and is listed, or usual; check digits are not checked."""
        known = self.values if self.values is not None else self.usual
        return (known is None or text in known) and all(matches(each, text) for each in self.shapes)


def lengths(patterns: Iterable[Pattern]) -> tuple[int, int | None]:
    """Return the number of characters of a text that follows all patterns; None for any number."""
    every = [each.lengths for each in patterns]
    longest = [high for _, high in every if high is not None]
    return max((low for low, _ in every), default=0), min(longest, default=None)


@dataclass(frozen=True)
class Terms:
    """What the contract of one field depends on.

    `told` are the constant arguments of the field, `asked` those of all kinds about the same person or place. `locales`
    are those that a row can have, `folder` has a tester's own lists.
    """

    told: dict[str, tuple[Constant, ...]] = field(default_factory=dict)
    asked: dict[str, tuple[Constant, ...]] = field(default_factory=dict)
    locales: tuple[str, ...] = ("en-GB",)
    folder: str = ""
    today: date = date(2000, 1, 1)

    def one(self, name: str, default: Any = None) -> Any:
        """Return the constant of a parameter of this field, or the default."""
        return (self.told.get(name) or (default,))[0]

    def shared(self, name: str, default: Any = None) -> Any:
        """Return the constant argument of any kind of the same person or place, or the default."""
        return (self.asked.get(name) or (default,))[0]


# Codes of ISO 3166-1 for islands where nobody lives.
UNINHABITED = ("BV", "HM")
State = Callable[[Terms], Contract]


def text(rest: str, pattern: str = "", *, longest: int = LONGEST, lines: bool = False) -> State:
    """Return the contract of a text that no rule describes: some characters, without control characters.

    `lines` allows line breaks.
    """
    found = Contract((text_of(1, longest, lines), *((pattern,) if pattern else ())), rest=rest, open=True)
    return lambda terms: found


def text_of(low: int, high: int, lines: bool = False) -> str:
    """Return the pattern of a text of `low` to `high` characters, without control characters."""
    allowed = r"[^\x00-\x1f\x7f]" if not lines else r"[^\x00-\x08\x0b-\x1f\x7f]"
    return f"{allowed}{{{low},{high}}}"


def opened(found: Contract, form: tuple[str, ...], rest: str) -> Contract:
    """Return the contract of values of an open list: their form, and no more."""
    form = form or (text_of(1, LONGEST),)
    if found.values is not None and "" in found.values:
        # Some people have no second name.
        form = tuple(f"({each})?" for each in form)
    return Contract(form, rest=rest, open=True, usual=found.values)


def one_of_all(name: str, column: str, *more: str) -> State:
    """Return the contract of the values of a list, and of those of the official list that are never drawn."""
    state = listed(name, column)
    return lambda terms: Contract(values=frozenset((*(state(terms).values or ()), *more)))


def between(low: int, high: int) -> State:
    """Return the contract of a number between two others."""
    return lambda terms: Contract(low=low, high=high)


def one_of(words: tuple[str, ...]) -> State:
    """Return the contract of one of some words."""
    found = Contract(values=frozenset(words))
    return lambda terms: found


def fact(name: str) -> State:
    """Return the contract of a fact of the locale; it may differ by sex."""

    def state(terms: Terms) -> Contract:
        found = [lists.facts(each, terms.folder)[name] for each in terms.locales]
        sex = terms.shared("sex")
        return Contract(
            values=frozenset(_words(each[sex] if sex and isinstance(each, dict) else each for each in found))
        )

    return state


def _words(found: Iterable[object]) -> Iterable[str]:
    for each in found:
        if isinstance(each, dict):
            yield from _words(each.values())
        elif isinstance(each, list):
            yield from _words(each)
        else:
            yield str(each)


def listed(name: str, *columns: str, latin: tuple[str, ...] = ()) -> State:
    """Return the contract of a kind that gives list columns as they are: of two, the first is that for men.

    `latin` are the columns in Latin letters.
    """

    def state(terms: Terms) -> Contract:
        chosen = latin if latin and terms.one("script") == "latin" else columns
        if len(chosen) > 1 and (sex := terms.shared("sex")):
            chosen = chosen[1:] if sex == "female" else chosen[:1]
        return Contract(values=frozenset(cells(terms, name, *chosen)))

    return state


def cells(terms: Terms, name: str, *columns: str) -> Iterable[str]:
    """Yield the cells of some columns of a list, for the lines that rows can have."""
    for line in lines(terms, name):
        for column in columns:
            yield _cell(line, column)


def _cell(line: lists.Line, column: str) -> str:
    if not line.get(column) and column in lists.INSTEAD:
        return _cell(line, lists.INSTEAD[column])
    return line.get(column, "")


def lines(terms: Terms, name: str) -> list[lists.Line]:
    """Return the lines of a list that rows can have: of their locales, and narrowed by the arguments of kinds."""
    found: list[lists.Line] = []
    for locale in terms.locales:
        entries = lists.entries(name, (locale,), terms.folder)
        every = [dict(zip(entries.cells, line, strict=True)) for line in zip(*entries.cells.values(), strict=True)]
        left = every
        if name == "cities":
            for aspect, columns in lists.CITY_COLUMNS.items():
                if (wanted := terms.shared(aspect)) is not None:
                    folded = str(wanted).casefold()
                    left = [line for line in left if any(line.get(each, "").casefold() == folded for each in columns)]
            if (size := terms.shared("size")) is not None:
                large = _large(every, entries.weights)
                left = [line for line in left if (line["city"] in large) == (size == "large")]
        elif name == "jobs" and (wanted := terms.shared("department")) is not None:
            left = [line for line in left if line["department"].casefold() == str(wanted).casefold()]
        if (sex := terms.shared("sex")) is not None and every and "sex" in every[0]:
            left = [line for line in left if line["sex"] in ("", sex)]
        # A value that no line has is the tester's own: any line of the locale is then possible.
        found += left or every
    return found


def _large(every: list[lists.Line], weights: list[float]) -> set[str]:
    """Return the large cities: those in the highest quarter of all weights."""
    sizes: dict[str, float] = {}
    for line, weight in zip(every, weights, strict=True):
        sizes[line["city"]] = sizes.get(line["city"], 0.0) + weight
    ordered = sorted(sizes.values(), reverse=True)
    least = ordered[int((len(ordered) - 1) * lists.LARGE)]
    return {city for city, size in sizes.items() if size >= least}


def escaped(text: str) -> str:
    """Return a pattern for one text."""
    return re.sub(r"([^\w@ ])", r"\\\1", text)


def either(texts: Iterable[str]) -> str:
    """Return the pattern of one of some texts."""
    return "(" + "|".join(escaped(each) for each in texts) + ")"
