"""The rule that a text breaks as a value of a phrase, by the rules of `verify`."""

from __future__ import annotations

from collections.abc import Callable

from yurt.core import model
from yurt.core.kinds.contract import lengths
from yurt.core.model import Phrase
from yurt.core.model.restriction import fits
from yurt.core.patterns.match import matches
from yurt.core.patterns.parse import parse
from yurt.core.patterns.tree import Pattern
from yurt.core.planning.contracts import Contracts
from yurt.core.verify.check_digits import right
from yurt.core.verify.shapes import uuid_form

# Returns the rule that a text breaks; empty if it breaks none.
Rule = Callable[[str], str]


def shapes_of(phrase: Phrase, contracts: Contracts) -> tuple[Pattern, ...]:
    """Return the patterns that texts of a phrase follow; none if they have no shape."""
    contract, head = contracts.of(phrase), phrase.head
    if contract.states:
        return contract.shapes
    if isinstance(head, model.Matching):
        return (head.pattern,)
    return (parse(uuid_form(head.version)),) if isinstance(head, model.Uuid) else ()


def rule_of(phrase: Phrase, contracts: Contracts) -> Rule:
    """Return a function that names the first rule of a phrase that a text breaks."""
    contract, head, shapes = contracts.of(phrase), phrase.head, shapes_of(phrase, contracts)
    name = head.name if isinstance(head, model.KindOf) else phrase.kind
    low, high = lengths(shapes)

    def rule(text: str) -> str:
        if not all(matches(each, text) for each in shapes):
            return "length" if len(text) < low or (high is not None and len(text) > high) else "pattern"
        if contract.check and not right(contract, name, text):
            return "check digit"
        if contract.values is not None and text not in contract.values:
            return "list"
        return "pattern" if phrase.narrowed is not None and not fits(phrase.narrowed, text) else ""

    return rule
