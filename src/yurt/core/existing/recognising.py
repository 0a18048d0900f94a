"""What a column holds: the kind of the catalogue that its name and its values speak for, with the share that fits."""

from __future__ import annotations

import re
from collections.abc import Iterable

from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow
from yurt.core.base.caches import kept
from yurt.core.base.data_classes import dataclass
from yurt.core.base.types import TEXT, Type
from yurt.core.existing.values import seen
from yurt.core.formats.common.raw import Raw
from yurt.core.kinds.catalogue import KINDS, suggested
from yurt.core.kinds.contract import Contract, Terms
from yurt.core.kinds.lists import lines_of
from yurt.core.kinds.locales import every_locale
from yurt.core.planning.contracts import stated
from yurt.core.verify.check_digits import right

# Different values that are compared with kinds, and the shares of them that must fit.
COMPARED = 300
# Values of more characters are not compared: they are taken for text that fits no kind.
LONGEST = 4_096
BY_NAME, BY_CONTENT = 0.6, 0.9
# Kinds that values alone can show: by a pattern that few other texts have, by a list, or by check digits.
PATTERNED = ("email", "uuid", "ipv4", "ipv6", "mac-address", "iban", "url", "bic")
LISTED = ("given-name", "family-name", "city", "country", "country-code", "region")
CHECKED = ("cc-number", "gtin-13", "isbn-13", "imei")
# Values whose list is short occur in any column of short texts.
LEAST_DIFFERENT, LEAST_NAMES = 5, 3
# The average number of words of a free text.
TEXT_WORDS = 4
PHONE = re.compile(r"[+(]?[0-9][0-9 ()/.\-\xa0]{5,24}")
PHONE_DIGITS = 7
# What stands between the groups of a long number, and the kinds whose numbers are written in groups.
BETWEEN = re.compile(r"[\s.\-/\xa0\u202f\u2007\u2010\u2011]+")
GROUPED = ("iban", "cc-number", "imei")
# The average number of words of telephone numbers with spaces.
GROUPS = 2
EVERY_PLACE = ("city", "region", "postal-code", "country", "country-code", "street-address", "address-line1")


@dataclass(frozen=True)
class Recognised:
    """A column: its type, how many values it has and how many different ones, and what kind they are of."""

    title: str
    type: Type
    there: int
    different: int
    words: float
    kind: str = ""
    # Whether the name or the values speak for the kind, and the share of compared values that fit it.
    by: str = ""
    share: float = 0.0
    compared: int = 0
    # The kind of which the name speaks although the values do not fit it, and the share of words that are no codes.
    named: str = ""
    spoken: float = 1.0

    @property
    def unique(self) -> bool:
        """Whether no value is there twice."""
        return self.different == self.there > 1

    @property
    def sure(self) -> str:
        """How the kind is known, in words."""
        return f"{self.by}; {self.share:.0%} of {self.compared:,} values fit"


def recognised(title: str, raw: Raw) -> Recognised:
    """Return what a column holds."""
    missing = raw.missing
    texts = pc.filter(raw.texts, arrow(~missing)) if missing.any() else raw.texts
    texts = pc.filter(texts, pc.not_equal(pc.utf8_trim_whitespace(texts), ""))
    kind = seen(raw).type or TEXT
    values = pc.unique(texts)
    words = pc.mean(pc.count_substring(texts, " ")).as_py() if len(texts) else 0
    found = Recognised(title, kind, len(texts), len(values), (words or 0) + 1)
    sample = [each.strip() for each in values[:COMPARED].to_pylist()]
    if not sample or kind.name == "boolean":
        return found
    name, by, share = _kind(title, kind, sample, found.words)
    named = _named(title)
    spoken = _share(_is_spoken(word) for each in sample for word in each.split())
    return Recognised(
        title, kind, found.there, found.different, found.words, name, by, share, len(sample), named or "", spoken
    )


def _is_spoken(word: str) -> bool:
    """Return whether a word has letters only, and not only capital ones: it is no part of a number or a code."""
    bare = "".join(char for char in word if char.isalnum())
    return bare.isalpha() and (bare != bare.upper() or bare == bare.lower())


def _named(title: str) -> str | None:
    named = suggested(title)
    named = suggested(title.rpartition(".")[2]) if named is None and "." in title else named
    return named if named is not None and KINDS[named].group != "records" else None


def _kind(title: str, kind: Type, sample: list[str], words: float) -> tuple[str, str, float]:
    # People write long numbers in groups: `4398 2597 9190 7482`, `AT61-1904-3002-3457-3201`.
    bare = [BETWEEN.sub("", each) if any(map(str.isdigit, each)) else each for each in sample]
    named = _named(title)
    if named is not None:
        share = max(_fitting(named, each, kind) for each in ((sample, bare) if bare != sample else (sample,)))
        if share >= BY_NAME:
            return named, "by name", share
    if bare != sample:
        grouped = [(_fitting(each, bare, kind, BY_CONTENT), each) for each in GROUPED if each in KINDS]
        share, best = max(grouped)
        if share >= BY_CONTENT:
            return best, "by content, without what separates its groups", share
    phones = _share(PHONE.fullmatch(each) is not None and _digits(each) >= PHONE_DIGITS for each in sample)
    if kind == TEXT and words >= GROUPS and phones >= BY_CONTENT:
        return "tel", "by content", phones
    if words >= TEXT_WORDS:
        return "", "", 0.0
    candidates = [*PATTERNED, *CHECKED] if kind != TEXT else [*PATTERNED, *CHECKED, *LISTED]
    found = []
    for each in candidates:
        if (each in LISTED and len(sample) < LEAST_DIFFERENT) or each not in KINDS:
            continue
        share = _fitting(each, sample, kind, BY_CONTENT)
        if share >= BY_CONTENT:
            found.append((share, each))
    if found:
        share, best = max(found, key=lambda pair: pair[0])
        return best, "by content", share
    share = _share(PHONE.fullmatch(each) is not None for each in sample)
    if kind == TEXT and share >= BY_CONTENT and sum(map(_digits, sample)) / len(sample) >= PHONE_DIGITS:
        return "tel", "by content", share
    both = _share(_full_name(each) for each in sample)
    if kind == TEXT and both >= BY_NAME and len(sample) >= LEAST_NAMES:
        return "full-name", "by content", both
    return "", "", 0.0


def _fitting(kind: str, sample: list[str], column: Type, least: float = 0.0) -> float:
    """Return the share of values that a kind takes in any locale; 0 if it is less than `least`."""
    if kind in ("tel", "tel-national"):
        return _share(PHONE.fullmatch(each) is not None for each in sample)
    if kind == "full-name":
        return _share(" " in each for each in sample)
    if kind in ("given-name", "family-name", "city"):
        known = _known(kind)
        return _share(each.casefold() in known for each in sample)
    contract = stated(KINDS[kind], Terms(locales=every_locale()))
    if not contract.states:
        # Nothing is known of its values but their type.
        return float(KINDS[kind].type.family == column.family)
    wrong, most = 0, (1 - least) * len(sample)
    for each in sample:
        wrong += not _takes(contract, kind, each)
        # Matching is slow, and most kinds fit none of the values. The one more is for the rounding of `most`.
        if wrong > most + 1:
            return 0.0
    return (len(sample) - wrong) / len(sample)


def _takes(contract: Contract, kind: str, text: str) -> bool:
    return len(text) <= LONGEST and contract.takes(text) and (not contract.check or right(contract, kind, text))


def _digits(text: str) -> int:
    return sum(map(str.isdigit, text))


def _share(fits: Iterable[bool]) -> float:
    found = list(fits)
    return sum(found) / len(found) if found else 0.0


_LISTS = {"given-name": ("given-names", "name"), "family-name": ("family-names", "name"), "city": ("cities", "city")}


@kept(8)
def _known(kind: str) -> frozenset[str]:
    name, column = _LISTS[kind]
    found: set[str] = set()
    for locale in every_locale():
        for line in lines_of(name, locale):
            found |= {line.get(each, "").casefold() for each in (column, "latin", "feminine", "city-latin")}
    return frozenset(found - {""})


def _full_name(text: str) -> bool:
    words = text.replace(",", " ").casefold().split()
    given = _known("given-name")
    return 2 <= len(words) <= 4 and any(each in given for each in words)


def locale_of(columns: dict[str, Recognised], raws: dict[str, Raw]) -> tuple[str, float]:
    """Return the locale whose lists have most of the cities, or else of the given names; empty if none stands out."""
    for kind in ("city", "given-name", "family-name"):
        titles = [title for title, each in columns.items() if each.kind == kind]
        if not titles:
            continue
        values = {each.casefold() for each in pc.drop_null(pc.unique(raws[titles[0]].texts)).to_pylist()}
        name, column = _LISTS[kind]
        shares = {
            locale: sum(line.get(column, "").casefold() in values for line in lines_of(name, locale))
            / max(len(values), 1)
            for locale in every_locale()
        }
        best = max(shares, key=lambda locale: shares[locale])
        if shares[best] >= 0.3:
            return best, min(shares[best], 1.0)
    return "", 0.0
