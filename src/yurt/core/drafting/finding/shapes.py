"""The pattern of texts: fixed parts, classes of characters, lengths, alternatives. It quotes no rare value."""

from __future__ import annotations

import re
from collections import Counter

import numpy as np

from yurt.core.base.data_classes import dataclass
from yurt.core.drafting.quoting import escaped, quoted
from yurt.core.drafting.samples.column import Column, Words

# The different values that are compared, and the forms that a pattern may have as alternatives.
COMPARED, ALTERNATIVES = 20_000, 4
# The share of rows that the alternatives must have together.
MOST = 0.995
# A text of more characters has no pattern, but a length.
LONGEST = 60
# The most different characters that a class lists one by one.
LISTED = 6
HEX = re.compile(r"[0-9a-f]+")
RUN = re.compile(r"[A-Z]+|[a-z]+|[0-9]+|[^A-Za-z0-9]")
UUID = re.compile(r"[0-9a-fA-F]{8}-[0-9a-fA-F]{4}-([1-8])[0-9a-fA-F]{3}-[89abAB][0-9a-fA-F]{3}-[0-9a-fA-F]{12}")
CLASSES = (("upper", str.isupper), ("lower", str.islower), ("digit", str.isdigit))
SCRIPTS = ("Latin", "Greek", "Cyrillic", "Arabic", "Hebrew", "Devanagari", "Han", "Hiragana", "Katakana", "Hangul")


@dataclass(frozen=True)
class Shape:
    """A type of texts, and the share of rows that follow it."""

    head: str
    share: float
    # Whether it says more than a length.
    tells: bool = True


def shape_of(column: Column, least: int) -> Shape | None:
    """Return the pattern that nearly all values follow; None if they have none but a length.

    `least` is the number of rows in which a text must be before it enters the pattern.
    """
    words = column.words
    values = words.words[:COMPARED]
    if not values:
        return None
    if all(UUID.fullmatch(each) for each in values):
        version = {UUID.fullmatch(each)[1] for each in values}  # type: ignore[index]
        lower = all(each == each.lower() for each in values)
        if lower and version <= {"4", "7"} and len(version) == 1:
            return Shape("uuid v7" if version == {"7"} else "uuid", 1.0)
        return Shape(rf"/{_hex_of(lower)}{{8}}(-{_hex_of(lower)}{{4}}){{3}}-{_hex_of(lower)}{{12}}/", 1.0)
    if max(map(len, values)) > LONGEST or any(not each.isascii() or not each.isprintable() for each in values):
        return None
    if (hexadecimal := _hexadecimal(values)) is not None:
        return hexadecimal
    return _alternatives(words, values, least)


def _hex_of(lower: bool) -> str:
    return "[0-9a-f]" if lower else "[0-9a-fA-F]"


def _hexadecimal(values: list[str]) -> Shape | None:
    """Return the pattern of hexadecimal digits of one length; letters and digits are mixed in them."""
    sizes = {len(each) for each in values}
    joined = "".join(values)
    if len(values) < 5 or len(sizes) > 1 or min(sizes) < 6 or not HEX.fullmatch(joined.lower()):
        return None
    letters = sum(each.isalpha() for each in joined) / len(joined)
    if not 0.2 < letters < 0.6 or (joined != joined.lower() and joined != joined.upper()):
        return None
    digits = "0-9a-f" if joined == joined.lower() else "0-9A-F"
    return Shape(f"/[{digits}]{{{sizes.pop()}}}/", 1.0)


def _alternatives(words: Words, values: list[str], least: int) -> Shape | None:
    counts = words.counts[: len(values)]
    groups: dict[tuple[str, ...], list[int]] = {}
    for at, value in enumerate(values):
        groups.setdefault(tuple(_sort(run) for run in RUN.findall(value)), []).append(at)
    ranked = sorted(groups.items(), key=lambda pair: -int(counts[pair[1]].sum()))
    total = int(counts.sum())
    chosen, covered = [], 0
    for runs, members in ranked[:ALTERNATIVES]:
        rows = int(counts[members].sum())
        if rows < least and len(ranked) > 1:
            break
        chosen.append((runs, members))
        covered += rows
        if covered >= MOST * total:
            break
    if covered < MOST * total or any(len(runs) > 16 for runs, _ in chosen):
        return None
    parts = [_pattern([values[at] for at in members], counts[members], least) for _, members in chosen]
    if any(each is None for each in parts):
        return None
    texts = [each for each in parts if each is not None]
    whole = texts[0] if len(texts) == 1 else "|".join(texts)
    return Shape(f"/{whole}/", covered / total)


def _sort(run: str) -> str:
    """Return what sort of characters a run has; a mark stands for itself."""
    return "A" if run[0].isupper() else "a" if run[0].islower() else "9" if run[0].isdigit() else run


def _pattern(values: list[str], counts: np.ndarray[tuple[int], np.dtype[np.int64]], least: int) -> str | None:
    """Return the pattern of texts of the same runs of characters."""
    split = [RUN.findall(each) for each in values]
    rows = int(counts.sum())
    parts = []
    for at in range(len(split[0])):
        runs = [each[at] for each in split]
        parts.append(_run(runs, counts, rows, least))
    return "".join(parts)


def _run(runs: list[str], counts: np.ndarray[tuple[int], np.dtype[np.int64]], rows: int, least: int) -> str:
    sort = _sort(runs[0])
    if sort not in "Aa9":
        return escaped(sort)
    frequent: Counter[str] = Counter()
    for run, count in zip(runs, counts.tolist(), strict=True):
        frequent[run] += count
    if len(frequent) == 1:
        only = next(iter(frequent))
        # A part that is the same in all rows, and in enough of them.
        return only if rows >= least and (len(runs) > 1 or rows >= least) else _class(runs, rows, least)
    enough = all(count >= max(least, 0.01 * rows) for count in frequent.values())
    if (
        enough
        and len(frequent) <= LISTED
        and len({len(each) for each in frequent}) > 0
        and len(runs) > 2 * len(frequent)
    ):
        listed = sorted(frequent)
        if all(len(each) == 1 for each in listed):
            return f"[{''.join(listed)}]"
        return f"({'|'.join(listed)})"
    return _class(runs, rows, least)


def _class(runs: list[str], rows: int, least: int) -> str:
    sort = _sort(runs[0])
    low, high = min(map(len, runs)), max(map(len, runs))
    digits = "\\d"
    if (
        sort == "9"
        and rows >= least
        and low == high
        and all(each[0] != "0" for each in runs)
        and low > 1
        and len(runs) >= 50
    ):
        return "[1-9]" + digits + (f"{{{low - 1}}}" if low > 2 else "")
    name = {"A": "[A-Z]", "a": "[a-z]", "9": digits}[sort]
    if low == high:
        return name + (f"{{{low}}}" if low > 1 else "")
    return f"{name}{{{low},{high}}}"


def length_of(column: Column) -> Shape:
    """Return texts of some length over the characters that occur."""
    values = column.words.words[:COMPARED]
    sizes = [len(each) for each in column.words.words]
    low, high = min(sizes), max(sizes)
    if high - low > 8:
        low, high = low if low <= 5 else low // 5 * 5, -(-high // 5) * 5
    return Shape(f"text {low}..{high}{_charset(set(''.join(values)))}", 1.0, tells=False)


def _charset(chars: set[str]) -> str:
    """Return the clause for the characters of a text; lower-case letters are the default."""
    ascii_ones = {each for each in chars if each.isascii()}
    names = [name for name, test in CLASSES if any(test(each) for each in ascii_ones)]
    others = chars - ascii_ones
    scripts = []
    if others:
        import unicodedata

        told = {unicodedata.name(each, "").split(" ")[0].title() for each in others if each.isalpha()}
        scripts = [each for each in SCRIPTS if each in told or (each == "Han" and "Cjk" in told)]
    if "Latin" in scripts:
        names = [each for each in names if each not in ("upper", "lower")]
    marks = sorted(each for each in chars if not each.isalnum() and each.isprintable())
    marks += sorted(each for each in others if each.isalpha() and not scripts)
    if names == ["lower"] and not scripts and not marks:
        return ""
    parts = [*scripts, *names]
    if marks:
        parts.append(quoted("".join(marks)))
    return f" of {' | '.join(parts)}" if parts else ""
