"""The catalogue: every kind by its name, with what it means and how it is made.

A kind is one function over a `World` (the person, the place and the draws of one batch of rows) with the `@kind`
decorator around it. Most kinds are three lines; see `persons.py` and its neighbours.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from importlib import resources
from typing import TYPE_CHECKING, Any

from yurt.core.nearest import nearest
from yurt.core.patterns.automaton import capacity
from yurt.core.patterns.parse import parse
from yurt.core.types import TEXT, Type

if TYPE_CHECKING:
    from yurt.core.engine.kind_world import World

# Rows that can be told apart by the running number in an e-mail address or user name.
BY_NUMBER = 10**18


@dataclass(frozen=True, slots=True)
class Kind:
    """One entry of the catalogue. `listed` names the list and the column that the values are picked from.

    `unique` is the number of different values when the field is unique, 0 when it cannot be. `make` gives the values
    for a batch of rows.
    """

    name: str
    group: str
    meaning: str
    make: Callable[[World], Any]
    type: Type = TEXT
    source: str = ""
    safe: str = ""
    unique: int = 0
    listed: tuple[str, str] | None = None


KINDS: dict[str, Kind] = {}
# Names that fields often have, beside the names of the kinds themselves.
SUGGESTIONS = {
    "e-mail": "email", "mail": "email", "email-address": "email", "mail-address": "email",
    "phone": "tel", "telephone": "tel", "mobile": "tel", "phone-number": "tel", "cell": "tel",
    "name": "full-name", "first-name": "given-name", "forename": "given-name", "firstname": "given-name",
    "given": "given-name", "last-name": "family-name", "lastname": "family-name", "surname": "family-name",
    "family": "family-name", "gender": "sex", "town": "city", "zip": "postal-code", "zip-code": "postal-code",
    "zipcode": "postal-code", "postcode": "postal-code", "post-code": "postal-code", "plz": "postal-code",
    "address": "street-address", "lat": "latitude",
    "lon": "longitude", "lng": "longitude", "user": "username", "user-name": "username", "login": "username",
    "job": "job-title", "occupation": "job-title", "profession": "job-title", "company": "organization",
    "employer": "organization", "website": "url", "web": "url", "homepage": "url", "ip": "ipv4",
    "ip-address": "ipv4", "mac-address": "mac", "description": "sentence", "note": "sentence", "comment": "sentence",
}  # fmt: skip
LOCALES = tuple(
    sorted(each.name for each in resources.files("yurt.core.kinds").joinpath("locales").iterdir() if each.is_dir())
)


def kind(
    name: str,
    group: str,
    meaning: str,
    *,
    holds: Type = TEXT,
    source: str = "",
    safe: str = "",
    unique: int = 0,
    listed: tuple[str, str] | None = None,
) -> Callable[[Callable[[World], Any]], Callable[[World], Any]]:
    """Enter the decorated function into the catalogue."""

    def enter(make: Callable[[World], Any]) -> Callable[[World], Any]:
        KINDS[name] = Kind(name, group, meaning, make, holds, source, safe, unique, listed)
        return make

    return enter


def pattern_kind(name: str, group: str, meaning: str, pattern: str, *, source: str = "", safe: str = "") -> None:
    """Enter a kind whose values are the texts of a regular expression."""
    room = capacity(parse(pattern))
    KINDS[name] = Kind(name, group, meaning, lambda world: world.matching(pattern), TEXT, source, safe, room)


def search(word: str) -> list[Kind]:
    """Return the kinds whose name, group or meaning has the word in it; those with it in the name come first."""
    wanted = word.casefold()
    found = [each for each in KINDS.values() if wanted in f"{each.name} {each.group} {each.meaning}".casefold()]
    return sorted(found, key=lambda each: (wanted not in each.name, each.name))


def suggested(name: str) -> str | None:
    """Return the kind that the name of a field suggests: its own name, or a usual other one (`zip`, `first_name`)."""
    plain = re.sub(r"[\W_]+", "-", re.sub(r"(?<=[a-z])(?=[A-Z])", "-", name)).strip("-").lower()
    for each in (plain, plain.replace("-", "")):
        if each in KINDS:
            return each
        if each in SUGGESTIONS and SUGGESTIONS[each] in KINDS:
            return SUGGESTIONS[each]
    return None


def nearest_word(word: str) -> str | None:
    """Return the name of a kind, or a word of one, that is most like a word that finds nothing."""
    return nearest(word, {*KINDS, *(part for name in KINDS for part in name.split("-"))})


# The modules enter their kinds when they are imported.
from yurt.core.kinds import net, persons, places, texts, trade  # noqa: E402, F401
