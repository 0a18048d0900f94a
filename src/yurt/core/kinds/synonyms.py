"""Synonyms of kinds: words that testers type and names of fields. The words are in `synonyms.csv`."""

from __future__ import annotations

import csv
import re
from functools import cache, lru_cache
from pathlib import Path


@cache
def kinds_by_word() -> dict[str, str]:
    """Return the kind for each synonym, without its spaces, hyphens, and underscores."""
    text = Path(__file__).with_name("synonyms.csv").read_text("utf-8")
    rows = csv.DictReader(text.splitlines())
    return {folded(word): row["kind"] for row in rows for word in row["words"].split("|")}


@cache
def words_by_kind() -> dict[str, tuple[str, ...]]:
    """Return the synonyms of each kind."""
    text = Path(__file__).with_name("synonyms.csv").read_text("utf-8")
    return {row["kind"]: tuple(row["words"].split("|")) for row in csv.DictReader(text.splitlines())}


def folded(word: str) -> str:
    """Return a word without what does not count: case, spaces, hyphens, underscores, the seams of `firstName`."""
    return re.sub(r"[\W_]+", "", word).casefold()


@lru_cache(maxsize=4096)
def hyphenated(name: str) -> str:
    """Return a name in small letters with hyphens between its words: `first-name` for `firstName` and `First_name`."""
    return re.sub(r"[\W_]+", "-", re.sub(r"(?<=[a-z])(?=[A-Z])", "-", name)).strip("-").lower()


def tokens(text: str) -> set[str]:
    """Return the words of a text, each without the `s` of its plural; single letters are not words."""
    return {re.sub(r"(?<=\w{3})s$", "", each) for each in re.split(r"[\W_]+", text.casefold()) if each[1:]}
