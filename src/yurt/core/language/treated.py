"""How the treatments of one record type depend on each other: what a substitute follows, whose dates move together."""

from __future__ import annotations

from yurt.core.base.data_classes import replace
from yurt.core.heads.scrub import Scrub
from yurt.core.heads.shift import Shift
from yurt.core.heads.shuffle import Shuffle
from yurt.core.heads.substitute import Substitute
from yurt.core.kinds.catalogue import FIXES, KINDS
from yurt.core.kinds.synonyms import hyphenated
from yurt.core.language.over_columns import ORIGINAL
from yurt.core.model import Field, KindOf, Phrase, Table, Treatment
from yurt.core.model.expressions import Call, Expression, Literal, Name

# The aspects that substitutes of other kinds follow, those that everything else follows first. A person is known by
# the names, a place by the smallest part of it.
LEADS: dict[str, int] = {"given-name": 0, "family-name": 0, "city": 0, "region": 1, "country": 2}
OTHERS = 3
OF_PERSONS = ("given-name", "family-name")
WHOLE_NAMES = ("full-name", "name", "cc-name")


def related(fields: list[Field]) -> list[Field]:
    """Return the fields of a record type over columns, with their treatments bound to each other."""
    names = {each.name for each in fields}
    treated = {each.name: each for each in fields if any(isinstance(one.head, Treatment) for one in each.phrases)}

    def original(name: str) -> str:
        return ORIGINAL.format(name) if ORIGINAL.format(name) in names else name

    def bound(field: Field, phrase: Phrase) -> Phrase:
        head = phrase.head
        match head:
            case Substitute() if isinstance(head.phrase.head, KindOf):
                inner = replace(head.phrase, head=_following(head.phrase.head, field, head.domain, treated))
                return replace(phrase, head=replace(head, phrase=inner))
            case Shift(per=Name(name, span)):
                return replace(
                    phrase, head=replace(head, per=Name(original(name), span), domain=_domain(treated, name))
                )
            case Shuffle(within=Name(name, span)):
                return replace(phrase, head=replace(head, within=Name(original(name), span)))
            case Scrub():
                pairs = tuple((Name(original(each), phrase.span), Name(each, phrase.span))
                              for each in treated if each != field.name and original(each) != each
                              and not isinstance(treated[each].head, Scrub))  # fmt: skip
                return replace(phrase, head=replace(head, pairs=pairs))
        return phrase

    return [_each(each, bound) if each.name in treated else each for each in fields]


def _each(field: Field, change: object) -> Field:
    assert callable(change)
    if isinstance(field.body, Phrase):
        return replace(field, body=change(field, field.body))
    assert isinstance(field.body, Table)
    return replace(
        field, body=replace(field.body, rows=tuple((one, change(field, two)) for one, two in field.body.rows))
    )


def _domain(treated: dict[str, Field], name: str) -> str:
    """Return the domain of a field: persons are the same wherever their column has the same domain."""
    head = treated[name].head if name in treated else None
    return head.domain if isinstance(head, Treatment) else name


def _following(kind: KindOf, field: Field, domain: str, treated: dict[str, Field]) -> KindOf:
    """Return a kind that is about a person and place of the value alone, or of other substitutes of the row."""
    if kind.name not in KINDS or not KINDS[kind.name].about:
        return kind
    own = LEADS.get(_aspect(kind.name, field.name), OTHERS)
    follows: dict[str, tuple[int, Expression]] = {}
    for name, each in treated.items():
        head = each.head
        if name == field.name or not isinstance(head, Substitute) or not isinstance(head.phrase.head, KindOf):
            continue
        value = Name(name, field.span)
        aspect = _aspect(head.phrase.head.name, name)
        rank = LEADS.get(aspect, OTHERS)
        if rank < own and rank < OTHERS:
            follows.setdefault(aspect, (rank, value))
        if head.phrase.head.name in WHOLE_NAMES and own == OTHERS and kind.name not in WHOLE_NAMES:
            for part, call in zip(OF_PERSONS, _parts(value), strict=True):
                follows.setdefault(part, (1, call))
    places = [rank for aspect, (rank, _) in follows.items() if aspect not in OF_PERSONS]
    nearest = min(places, default=OTHERS)
    chosen = tuple(
        (aspect, value) for aspect, (rank, value) in follows.items() if aspect in OF_PERSONS or rank == nearest
    )
    return replace(kind, of=f"{kind.of} by value {domain}".strip(), follows=chosen)


def _aspect(kind: str, field: str) -> str:
    return FIXES.get(kind) or FIXES.get(hyphenated(field), "")


def _parts(value: Name) -> tuple[Expression, Expression]:
    """Return the first and the last word of a full name."""
    return tuple(Call("part", (value, Literal(" ", value.span), Literal(at, value.span)), value.span)
                 for at in (1, -1))  # type: ignore[return-value]  # fmt: skip
