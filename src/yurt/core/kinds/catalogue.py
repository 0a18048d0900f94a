"""The catalogue: every kind by name, with its meaning and how it is made.

A kind is one entry of a group. It is either a line of the schema language in `GROUP.toml`, for values that are
independent of other fields, or a function over a `KindContext` in `GROUP.py`, for values that agree with the rest of
the record. A group is loaded on first use; `index.json` lists its kinds.
"""

from __future__ import annotations

import tomllib
from collections.abc import Callable, Iterator, Mapping
from functools import cache
from importlib import import_module
from pathlib import Path
from threading import RLock
from typing import TYPE_CHECKING, Any

from yurt.core.base.data_classes import dataclass, field
from yurt.core.base.nearest import nearest
from yurt.core.base.types import TEXT, Type
from yurt.core.kinds.overview import meanings
from yurt.core.kinds.synonyms import folded, hyphenated, kinds_by_word, tokens, words_by_kind

if TYPE_CHECKING:
    from yurt.core.columns.column import Column
    from yurt.core.kinds.context import KindContext
    from yurt.core.kinds.contract import State

    Make = Callable[[KindContext], Column]

HERE = Path(__file__).parent
GROUPS = HERE.joinpath("groups")
# The number of rows that the running number in an e-mail address or user name can distinguish.
BY_NUMBER = 10**18


# The constants of a kind by parameter.
Arguments = dict[str, list[Any]]


@dataclass(frozen=True)
class Parameter:
    """A parameter of a kind.

    `default` is written as in the language. With `choices`, the value is one of these words; `several` allows a list in
    brackets. `shared` means that it narrows the person or place of the whole record; such a value may depend on a
    field. `implied` means that without an argument the kind asks for all choices.
    """

    meaning: str
    default: str = "null"
    choices: tuple[str, ...] = ()
    several: bool = False
    shared: bool = False
    implied: bool = False


@dataclass(frozen=True)
class Kind:
    """One entry of the catalogue.

    `phrase` is the line of the schema language that it stands for; otherwise `make` gives the values for a batch of
    rows. `live` is the phrase without the safe ranges; True means that `make` decides itself. `about` says what the
    values share with the record. `allowed` is a pattern that every value matches by the standard, `check` the rule of
    its check digits; `contract` states what follows from arguments, lists, and locales. `reserved` is the pattern of
    the safe range. `listed` names the list and the column of the values. `closed` is the official list, with its
    edition, whose values are all there are; without it a list is open, and other values of its `form` are not wrong.
    `unique` is the number of different values if the field is unique, 0 if it cannot be; `counted` counts them if they
    depend on the arguments; `wrong` returns what is wrong with the arguments together. `risk` describes values without
    a safe range. `record` is the text of the
    fields of a ready record. `by_age` means that values depend on the age of the person.
    """

    name: str
    group: str
    meaning: str
    make: Callable[[KindContext], Column] | None = None
    phrase: str = ""
    type: Type = TEXT
    source: str = ""
    safe: str = ""
    live: str | bool = False
    risk: str = ""
    about: str = ""
    allowed: str = ""
    reserved: str = ""
    contract: State | None = None
    check: str = ""
    unique: int = 0
    counted: Callable[[Arguments], int] | None = None
    wrong: Callable[[Arguments], str] | None = None
    listed: tuple[str, str] | None = None
    closed: str = ""
    form: tuple[str, ...] = ()
    record: str = ""
    by_age: bool = False
    parameters: dict[str, Parameter] = field(default_factory=dict)


class Catalogue(Mapping[str, Kind]):
    """All kinds by name. Their names are known without loading any."""

    def __init__(self) -> None:
        self._read: dict[str, Kind] = {}
        self._groups: set[str] = set()
        # A module that is imported registers its kinds while the lock is held.
        self._lock = RLock()

    @property
    def index(self) -> dict[str, str]:
        """The group of every kind."""
        return _index()

    def __getitem__(self, name: str) -> Kind:
        if name not in self._read:
            self._read_group(self.index[name])
        return self._read[name]

    def __contains__(self, name: object) -> bool:
        return name in self.index

    def __iter__(self) -> Iterator[str]:
        return iter(self.index)

    def __len__(self) -> int:
        return len(self.index)

    def enter(self, found: Kind) -> None:
        """Add a kind; a name that is taken is a mistake in the catalogue."""
        assert found.name not in self._read, found.name
        self._read[found.name] = found

    def _read_group(self, group: str) -> None:
        with self._lock:
            if group not in self._groups:
                self._read_new(group)
                self._groups.add(group)

    def _read_new(self, group: str) -> None:
        if GROUPS.joinpath(f"{group}.py").is_file():
            import_module(f"{__package__}.groups.{group}")
        for each in _ready_records() if group == RECORDS else _lines(group):
            self.enter(each)

    def forget_index(self) -> None:
        """Read the index again after a kind was added."""
        meanings.cache_clear()
        _index.cache_clear()

    def read_all(self) -> dict[str, Kind]:
        """Load every group that has a file here, even if the index does not know it yet."""
        for name in sorted(each.name for each in GROUPS.iterdir()):
            if name.endswith((".toml", ".py")) and name != "__init__.py":
                self._read_group(name.partition(".")[0])
        self._read_group(RECORDS)
        return self._read


# The group of the ready records, and the folder of their files.
RECORDS = "records"
KINDS = Catalogue()


@cache
def _index() -> dict[str, str]:
    return {name: group for group, names in meanings().items() for name in names}


def _ready_records() -> Iterator[Kind]:
    """Yield the ready records: files of fields, whose first line describes them."""
    for path in sorted(HERE.joinpath(RECORDS).iterdir(), key=lambda each: each.name):
        if path.name.endswith(".yaml"):
            head, _, fields = path.read_text("utf-8").partition("\n")
            yield Kind(path.name.removesuffix(".yaml"), RECORDS, head.lstrip("# "), record=fields, about="record")


def _lines(group: str) -> Iterator[Kind]:
    """Yield the kinds of a group that are lines of the schema language."""
    path = GROUPS.joinpath(f"{group}.toml")
    if not path.is_file():
        return
    for name, entry in tomllib.loads(path.read_text("utf-8")).items():
        given = {
            parameter: Parameter(words["meaning"], words["default"])
            for parameter, words in entry.pop("parameters", {}).items()
        }
        phrase = entry.pop("is")
        yield Kind(name, group, entry.pop("meaning"), phrase=phrase, parameters=given, **entry)


# The aspects of the record's person or place that a field can narrow.
OF_PLACES = {
    "continent": Parameter('a continent, such as "Europe"', shared=True),
    "country": Parameter("a country: its code or its name", shared=True),
    "region": Parameter("a region: its code or its name", shared=True),
    "city": Parameter("a city", shared=True),
    "size": Parameter("large or small cities only", choices=("large", "small"), shared=True),
}
OF_PERSONS = {
    "sex": Parameter("female or male", choices=("female", "male"), shared=True),
    "youngest": Parameter("the minimum age, in years", "18", shared=True),
    "oldest": Parameter("the maximum age, in years", "90", shared=True),
}
SHARED = {**OF_PLACES, **OF_PERSONS}
# The aspects that fields with these names fix for the whole record.
FIXES = {
    "language-tag": "locale", "language": "language", "country": "country", "country-code": "country",
    "country-alpha-3": "country", "continent": "continent", "region": "region", "region-code": "region", "city": "city",
    "sex": "sex", "given-name": "given-name", "family-name": "family-name", "department": "department",
    "locale": "locale", "state": "region", "province": "region", "town": "city", "gender": "sex",
    "first-name": "given-name", "firstname": "given-name", "forename": "given-name", "given": "given-name",
    "salutation": "honorific", "honorific-prefix": "honorific", "honorific": "honorific",
    "currency": "currency", "currency-code": "currency",
    "postal-code": "postal-code", "zip": "postal-code", "zip-code": "postal-code", "postcode": "postal-code",
    "last-name": "family-name", "lastname": "family-name", "surname": "family-name", "family": "family-name",
}  # fmt: skip
# The same for fields with a whole number or a date.
FIXES_AS_NUMBER = {
    "age": "age", "birth-date": "birth-date", "date-of-birth": "birth-date", "dob": "birth-date",
    "birthday": "birth-date", "born": "birth-date", "bday": "birth-date",
}  # fmt: skip


def kind(
    name: str, meaning: str, *, about: str = "", parameters: dict[str, Parameter] | None = None, **more: Any
) -> Callable[[Make], Make]:
    """Register the decorated function in the catalogue, in the group named after its module."""
    shared = {"place": OF_PLACES, "person": OF_PERSONS}.get(about, {})
    own = parameters or {}
    given = own | {name: each for name, each in shared.items() if name not in own}

    def enter(make: Make) -> Make:
        group = make.__module__.rpartition(".")[2]
        KINDS.enter(Kind(name, group, meaning, make, about=about, parameters=given, **more))
        return make

    return enter


# ---- looking for kinds -----------------------------------------------------------------------------------------------


@cache
def locales() -> tuple[str, ...]:
    """Return the locales of the catalogue."""
    return tuple(sorted(each.name for each in HERE.joinpath("locales").iterdir() if each.is_dir()))


def search(word: str) -> list[Kind]:
    """Return the kinds that a word may mean: first the one with that name or synonym.

    Then those with all its words in their name or synonyms, then those with them in their meaning or group. A kind that
    merely contains the letters is not among them.
    """
    plain, wanted = folded(word), tokens(word)
    found: dict[str, tuple[int, str]] = {}
    for name, others, sets, known in _words():
        if name == plain:
            found[known.name] = (0, known.name)
        elif plain in others:
            found[known.name] = (1, known.name)
        elif wanted and any(wanted <= each for each in sets[:-1]):
            found[known.name] = (2, known.name)
        elif wanted and wanted <= sets[-1]:
            found[known.name] = (3, known.name)
    return sorted((KINDS[name] for name in found), key=lambda each: found[each.name])


@cache
def _words() -> tuple[tuple[str, frozenset[str], tuple[frozenset[str], ...], Kind], ...]:
    """Return for each kind its name and synonyms, folded, the words of each of these, and all its words."""
    found = []
    for each in KINDS.values():
        others = words_by_kind().get(each.name, ())
        whole = f"{each.name} {each.group} {each.meaning} {' '.join(others)}"
        sets = tuple(frozenset(tokens(text)) for text in (each.name, *others, whole))
        found.append((folded(each.name), frozenset(map(folded, others)), sets, each))
    return tuple(found)


def suggested(name: str) -> str | None:
    """Return the kind that the name of a field suggests: its own name, or a common synonym (`zip`, `first_name`).

    A ready record comes last: `company` more often means the name of one than everything about it.
    """
    plain = hyphenated(name)
    own = [each for each in (plain, plain.replace("-", "")) if each in KINDS]
    other = kinds_by_word().get(folded(name))
    if own and KINDS[own[0]].group != "records":
        return own[0]
    return other if other in KINDS else own[0] if own else None


def nearest_word(word: str) -> str | None:
    """Return the name of a kind, or a word in one, that is most similar to a word without results."""
    others = (other for each in words_by_kind().values() for other in each)
    return nearest(word, {*KINDS, *(part for name in KINDS for part in name.split("-")), *others})
