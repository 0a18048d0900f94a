"""The contract of each phrase with a kind, for `verify`, `cases`, and `coverage`."""

from __future__ import annotations

from datetime import date

from yurt.core.base.data_classes import replace
from yurt.core.base.types import TEXT
from yurt.core.kinds.catalogue import KINDS, SHARED, Kind, locales
from yurt.core.kinds.contract import Contract, Terms, listed, opened, text
from yurt.core.kinds.lists import lineage
from yurt.core.model import KindOf, Matching, OneOf, Phrase, Record, Schema, Uuid
from yurt.core.model.constants import Constant, fold
from yurt.core.model.expressions import Expression, Literal
from yurt.core.patterns.tree import expression_of
from yurt.core.planning.entities import AGES, NAMES, asked_by, fixed_by, in_play, possible

NOTHING = Contract()
# The person whose age a field gives.
OLDEST = 120


class Contracts:
    """The contracts of the phrases of one record type; each is computed once, also for several validators."""

    def __init__(self, schema: Schema, record: Record, today: date) -> None:
        self.schema, self.record, self.today = schema, record, today
        self._fixed = fixed_by(record)
        self._asked: dict[str, dict[str, tuple[Expression, ...]]] = {}
        known = schema.attached.setdefault("contracts", {})
        self._found: dict[int, tuple[Phrase, Contract]] = known.setdefault((id(record), today), (record, {}))[1]

    def of(self, phrase: Phrase) -> Contract:
        """Return the contract that the kind of a phrase states; an empty one for a phrase without a kind."""
        if id(phrase) not in self._found:
            self._found[id(phrase)] = phrase, self._contract(phrase)
        return self._found[id(phrase)][1]

    def _contract(self, phrase: Phrase) -> Contract:
        head = phrase.head
        if phrase.allowed is not None:
            return Contract((expression_of(phrase.allowed),))
        if isinstance(head, KindOf):
            fixed = self._fixed.get(head.about, {}).get(head.name)
            if head.name in NAMES and fixed is not None:
                # The name is that of a field of the record.
                known = possible(self.schema, self.record, fixed)
                own = "whether it is the name that another field has"
                return Contract(values=frozenset(known)) if known is not None else text(own)(self._terms(head))
            return stated(KINDS[head.name], self._terms(head))
        if phrase.kind and isinstance(head, Matching | Uuid):
            return stated(KINDS[phrase.kind], Terms())
        if phrase.kind and isinstance(head, OneOf) and not KINDS[phrase.kind].closed:
            kind = KINDS[phrase.kind]
            usual = Contract(values=frozenset(map(str, head.values)))
            words = any(isinstance(each, str) for each in head.values)
            found = opened(usual, kind.form, f"whether it is {kind.meaning}")
            return found if words else replace(found, patterns=())
        return NOTHING

    def _terms(self, head: KindOf) -> Terms:
        """Return what the contract of a kind depends on here."""
        fixed = self._fixed.get(head.about, {})
        told = {name: self._constants(values) for name, values in head.arguments}
        if head.about not in self._asked:
            self._asked[head.about] = asked_by(self.record.kinds.get(head.about, ()))
        asked = {name: self._constants(each) for name, each in self._asked[head.about].items() if name not in SHARED}
        # What a field of the record fixes differs by row and narrows nothing here.
        asked |= {name: self._constants((value,)) for name, value in fixed.items() if isinstance(value, Literal)}
        if AGES & fixed.keys():
            # The field gives the age, whatever is usual.
            asked |= {"youngest": (0,), "oldest": (OLDEST,)}
        locales = in_play(self.schema, self.record, fixed)
        return Terms(told, asked, locales, self.schema.catalogue, self.today)

    def _constants(self, values: tuple[Expression, ...]) -> tuple[Constant, ...]:
        found = (each.value if isinstance(each, Literal) else fold(each, self.today) for each in values)
        return tuple(each for each in found if each is not None)


def stated(kind: Kind, terms: Terms) -> Contract:
    """Return the contract of a kind; the values of an open list are usual, those of a tester's own list are allowed."""
    found = _stated(kind, terms)
    if found.values is None or kind.closed or _is_own(kind, terms, found):
        return found
    return opened(found, kind.form, f"whether it is {kind.meaning}")


def _is_own(kind: Kind, terms: Terms, found: Contract) -> bool:
    """Return whether a folder of lists replaces the values of a kind; an open list to which it adds some stays open."""
    if not terms.folder or found.values is None:
        return False
    like = tuple(dict.fromkeys(_like(terms.folder, each) for each in terms.locales))
    known = _stated(kind, replace(terms, folder="", locales=like)).values
    return known is None or not known <= found.values


def _like(folder: str, locale: str) -> str:
    """Return the locale of the catalogue that a locale of one's own is like."""
    return next((each for each in lineage(locale, folder) if each in locales()), locale)


def _stated(kind: Kind, terms: Terms) -> Contract:
    """Return what a kind states itself, or what follows from its pattern or its list."""
    if kind.contract is not None:
        return kind.contract(terms)
    if kind.allowed:
        # The line of a kind with a safe range is the pattern of that range.
        reserved = kind.reserved or (kind.phrase.strip("/") if kind.safe else "")
        return Contract((kind.allowed,), check=kind.check, safe=(reserved,) if reserved else ())
    if kind.listed is not None:
        return listed(*kind.listed)(terms)
    if kind.type == TEXT and not kind.phrase:
        return text(f"whether it is {kind.meaning}")(terms)
    return Contract(rest="" if kind.phrase else f"whether it is {kind.meaning}")
