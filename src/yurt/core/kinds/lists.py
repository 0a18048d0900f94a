"""The lists behind the kinds, each loaded from its own file on first use.

A list of a locale is searched for in `locales/LOCALE/`, then in the locale that it is `like`, then in
`languages/LANGUAGE.json`, and finally in the Unicode CLDR. A tester's own folder may extend or replace it: see
`own_lists`.

A line further up is more common, unless the list has a `weight` column; if there is a `sex` column, this applies within
each sex. A postal code cell may contain several codes separated by `|`, which share the weight of the line; the ward,
the locality, and the street of each are separated in the same way.
"""

from __future__ import annotations

import csv
import json
import unicodedata
from collections.abc import Iterator
from functools import lru_cache
from pathlib import Path
from typing import Any

from yurt.core.base.caches import kept
from yurt.core.base.data_classes import dataclass
from yurt.core.base.json_object import JsonObject
from yurt.core.kinds import cldr, own_lists
from yurt.core.kinds.lives.population import population

HERE = Path(__file__).parent
FIRST_RANK = 8.0
SURNAMES = "family-names"
SEVERAL = ("postal-code", "ward", "locality", "street")
TEXT_COLUMN = "text"
UMLAUTS = str.maketrans({"ä": "ae", "ö": "oe", "ü": "ue", "Ä": "Ae", "Ö": "Oe", "Ü": "Ue"})
# The column that replaces an empty cell of another.
INSTEAD = {"latin": "name", "feminine": "name", "latin-feminine": "latin", "city-latin": "city", "locality": "city"}
# The list that stands in for one that a locale does not have.
WITHOUT = {"second-names": "given-names"}
# The columns of the list of cities that are compared with fixed parts of the place.
CITY_COLUMNS = {"region": ("region-code", "region"), "city": ("city", "city-latin")}
# Lists with groups: the column of the group, and the file of the facts about each line.
GROUPED = {"jobs": ("department", "lives/jobs.csv"), "products": ("category", "products.csv")}
# The maximum distance of a position from its city, in degrees.
NEAR = 0.027
# The share of large cities among the cities of a locale.
LARGE = 0.25
LETTERS = str.maketrans(
    {"ß": "ss", "đ": "d", "Đ": "D", "ø": "o", "Ø": "O", "ł": "l", "Ł": "L", "æ": "ae", "œ": "oe", "ı": "i", "Æ": "Ae"}
)
Line = dict[str, str]
# A list by its columns.
Cells = dict[str, list[str]]


@dataclass(frozen=True)
class Entries:
    """The lines of one list in several locales: cells by column, weights, and the number of each line's locale."""

    cells: Cells
    weights: list[float]
    locale: list[int]


@kept(512)
def entries(name: str, locales: tuple[str, ...], folder: str = "") -> Entries:
    """Return the joined lists of these locales; `folder` has a tester's own lists."""
    cells: Cells = {}
    weights: list[float] = []
    numbers: list[int] = []
    for number, locale in enumerate(locales):
        own, size = _cells_of(name, locale, folder)
        first = _first_rank(size, _commonest(locale, folder)) if name == SURNAMES else FIRST_RANK
        own, of_own = _variants(own, _weights(own, size, first))
        for column in own:
            cells.setdefault(column, [""] * len(weights))
        for column, found in cells.items():
            found += own.get(column) or [""] * len(of_own)
        weights += of_own
        numbers += [number] * len(of_own)
    return Entries(cells, weights, numbers)


def _weights(cells: Cells, size: int, first: float) -> list[float]:
    """Return how common each line is: its own weight, or one that falls with its rank among those of its sex."""
    ranks = dict.fromkeys(("", "female", "male"), first)
    found = []
    for sex, weight in zip(cells.get("sex") or [""] * size, cells.get("weight") or [""] * size, strict=True):
        found.append(float(weight) if weight else first / FIRST_RANK / ranks[sex])
        ranks[sex] += 1
    return found


def _variants(cells: Cells, weights: list[float]) -> tuple[Cells, list[float]]:
    """Return a line for each of the values that cells separate by `|`; they share the weight of the line."""
    parts = {column: [cell.split("|") for cell in cells[column]] for column in SEVERAL if column in cells}
    if not parts:
        return cells, weights
    counts = [max(map(len, several)) for several in zip(*parts.values(), strict=True)]
    found = {
        column: [
            part[number % len(part)]
            for part, count in zip(parts[column], counts, strict=True)
            for number in range(count)
        ]
        if column in parts
        else [cell for cell, count in zip(each, counts, strict=True) for _ in range(count)]
        for column, each in cells.items()
    }
    return found, [weight / count for weight, count in zip(weights, counts, strict=True) for _ in range(count)]


def _commonest(locale: str, folder: str) -> float:
    """Return the share of the most common surname of a country."""
    return population(str(facts(locale, folder).get("country-code", ""))).surname / 100


def _first_rank(size: int, share: float) -> float:
    """Return the rank of the first of some names at which 1/rank, over all ranks, gives it a certain share."""
    import numpy as np

    low, high, places = 0.1, 1e6, np.arange(max(size, 1))
    for _ in range(60):
        middle = (low * high) ** 0.5
        # A running sum, because it adds in order; `sum` of NumPy and of later Pythons does not.
        of_first = 1 / middle / float(np.cumsum(1 / (middle + places))[-1])
        low, high = (middle, high) if of_first > share else (low, middle)
    return low


@kept(512)
def lines_of(name: str, locale: str, folder: str = "") -> list[Line]:
    """Return the lines of a list in one locale; none if there is no such list."""
    own = own_lists.read(folder, locale, name) if folder else None
    if own is not None and own.only:
        return own.lines
    return [*_shipped(name, locale, folder), *(own.lines if own is not None else ())]


def _cells_of(name: str, locale: str, folder: str) -> tuple[Cells, int]:
    """Return a list in one locale by its columns, and its number of lines; a shipped table is long, and read as one."""
    if (path := _path(name, locale, folder)) and not (folder and own_lists.read(folder, locale, name)):
        columns, rows = _rows(path)
        return dict(zip(columns, map(list, zip(*rows, strict=True)), strict=False)), len(rows)
    lines = lines_of(name, locale, folder)
    names = dict.fromkeys(column for line in lines for column in line)
    return {column: [line.get(column, "") for line in lines] for column in names}, len(lines)


def _path(name: str, locale: str, folder: str) -> Path | None:
    """Return the shipped table with a list of a locale."""
    paths = (HERE.joinpath("locales", each, f"{name}.csv") for each in lineage(locale, folder))
    return next((each for each in paths if each.is_file()), None)


def _shipped(name: str, locale: str, folder: str) -> list[Line]:
    if path := _path(name, locale, folder):
        return _table(path)
    if name in WITHOUT:
        return lines_of(WITHOUT[name], locale, folder)
    known = facts(locale, folder)
    found_texts = known.get("lists", {}).get(name) or text_of(known, name)
    if found_texts is not None:
        return list(_as_lines(name, found_texts))
    return cldr.lines(name, locale)


def _table(path: Path) -> list[Line]:
    """Return the lines of a file by the names of its columns."""
    columns, rows = _rows(path)
    return [dict(zip(columns, row, strict=True)) for row in rows]


def _rows(path: Path) -> tuple[list[str], list[list[str]]]:
    """Return the names of the columns of a file, and its rows."""
    columns, *rows = csv.reader(path.read_text("utf-8").splitlines())
    return columns, [row for row in rows if row]


def _as_lines(name: str, texts: list[str] | dict[str, list[str]]) -> Iterator[Line]:
    """Yield texts as lines; `a|b` has the form for women and that for men.

    Some lists are grouped: by facts that are known, or by industry.
    """
    if isinstance(texts, dict) and name not in GROUPED:
        for industry, some in texts.items():
            for each in some:
                subject, _, text = each.rpartition("|")
                yield {"industry": industry, "subject": subject, TEXT_COLUMN: text}
        return
    if isinstance(texts, dict):
        column, _ = GROUPED[name]
        grouped = [(group, each) for group, some in texts.items() for each in some]
        for (group, each), known in zip(grouped, _facts_of(name), strict=True):
            female, _, male = each.partition("|")
            forms = {"female": female, "male": male or female} if name == "jobs" else {TEXT_COLUMN: each}
            yield {**known, column: group, **forms}
        return
    for each in texts:
        if "|" in each:
            female, _, male = each.partition("|")
            yield {TEXT_COLUMN: female, "sex": "female"}
            yield {TEXT_COLUMN: male, "sex": "male"}
        else:
            yield {TEXT_COLUMN: each}


@kept(8)
def _facts_of(name: str) -> list[Line]:
    """Return the facts about each line of a grouped list, in the order of the texts in every language."""
    return [dict(list(row.items())[1:]) for row in _table(HERE / GROUPED[name][1])]


def text_of(known: JsonObject, name: str) -> Any:
    """Return a list of a language as a country spells it; `spelling` maps words to their replacements."""
    spelling = tuple((str(word), str(other)) for word, other in known.get("spelling", {}).items())
    texts = _texts(str(known.get("language", "en")), str(known.get("locale", "")))
    return _spelt(texts.get(name), spelling)


@kept(64)
def _texts(language: str, locale: str) -> JsonObject:
    found: JsonObject = {}
    for name in (language, locale):
        path = HERE.joinpath("languages", f"{name}.json")
        own: JsonObject = json.loads(path.read_text("utf-8")) if path.is_file() else {}
        found |= own
    return found


def _spelt(value: Any, spelling: tuple[tuple[str, str], ...]) -> Any:
    """Return a list of texts, or texts by department, with some words replaced."""
    if isinstance(value, dict):
        return {_spelt(key, spelling): _spelt(each, spelling) for key, each in value.items()}
    if isinstance(value, list):
        return [_spelt(each, spelling) for each in value]
    for word, other in spelling if isinstance(value, str) else ():
        value = value.replace(word, other)
    return value


def lineage(locale: str, folder: str = "") -> Iterator[str]:
    """Yield a locale and those it is like, the nearest first."""
    seen: set[str] = set()
    while locale and locale not in seen:
        seen.add(locale)
        yield locale
        locale = _own_facts(locale, folder).get("like", "")


@kept(64)
def facts(locale: str, folder: str = "") -> JsonObject:
    """Return the facts of a locale: its country, its forms, its telephone numbers."""
    found: JsonObject = {}
    for each in reversed(list(lineage(locale, folder))):
        found |= _own_facts(each, folder)
    found |= {"locale": locale}
    return {**(text_of(found, "forms") or {}), **found}


def _own_facts(locale: str, folder: str) -> JsonObject:
    path = HERE.joinpath("locales", locale, "facts.json")
    found: JsonObject = json.loads(path.read_text("utf-8")) if path.is_file() else {}
    return {**found, **own_lists.facts(folder, locale)} if folder else found


def ascii_of(name: str, locale: str) -> str:
    """Return a name as e-mail addresses and host names spell it: small Latin letters, hyphens for spaces."""
    if name.isascii() and name.isalpha():
        return name.lower()
    if _writes_umlauts(locale):
        name = name.translate(UMLAUTS)
    plain = unicodedata.normalize("NFKD", name.translate(LETTERS)).encode("ascii", "ignore").decode().lower()
    plain = "-".join("".join(char if char.isalnum() else " " for char in plain.replace("'", "")).split())
    return plain or instead(name)


@lru_cache(maxsize=64)
def _writes_umlauts(locale: str) -> bool:
    """Return whether names of a locale keep the sound of an umlaut in Latin letters, as `ae` for `ä` does."""
    return bool(facts(locale).get("umlauts"))


def instead(text: str) -> str:
    """Return an English word for a text in another script, always the same one."""
    words: list[str] = [str(each) for each in _texts("en", "")["words"]]
    return words[sum(text.encode()) % len(words)]
