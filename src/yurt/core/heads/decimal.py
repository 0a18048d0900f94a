"""The head `decimal`: exact decimals; the bounds and the step determine the number of places."""

from __future__ import annotations

from decimal import Decimal

from yurt.core.base.data_classes import replace
from yurt.core.base.types import MAX_PLACES, decimal
from yurt.core.grammar.builder import LARGEST, Builder
from yurt.core.grammar.tree import Tree
from yurt.core.heads import ranged
from yurt.core.heads.head import Describer, HeadRule
from yurt.core.model import DecimalNumber, Range
from yurt.core.model.expressions import Literal, walk


def build(builder: Builder, tree: Tree) -> DecimalNumber:
    """Return the head of a tree."""
    _, range_tree, _, step_tree, _, places_tree = tree.children
    limits = (Decimal(-LARGEST), Decimal(LARGEST))
    found = ranged.range_of(builder, range_tree, tree, "decimal", "decimal 18.00..95.00", limits)
    step = Decimal(builder.number(step_tree)) if step_tree is not None else None
    written = [each.value for end in (found.low, found.high) for each in walk(end) if isinstance(each, Literal)]
    decimals = [each for each in [*written, step] if isinstance(each, Decimal)]
    places = max((-int(each.as_tuple().exponent) for each in decimals), default=0)
    if places_tree is not None:
        places = _places(builder, places_tree, places)
    if not places:
        expected = "places in a bound or step: 18.00..95.00"
        builder.findings.error("a decimal without places", builder.span(tree), expected)
        places = 2
    units = int(step.scaleb(places)) if step is not None else 1
    found = _limited(found, places, max(units, 1))
    if units < 1:
        builder.findings.error("a step of 0", builder.span(step_tree), "a step above 0")
    return DecimalNumber(found, places, max(units, 1))


def _places(builder: Builder, tree: Tree, least: int) -> int:
    """Return the number of places that a line asks for."""
    asked = builder.number(tree)
    if isinstance(asked, int) and max(least, 1) <= asked <= MAX_PLACES:
        return asked
    builder.findings.error(f"{asked} places are not possible", builder.span(tree), f"{max(least, 1)} to {MAX_PLACES}")
    return max(least, 1)


def _limited(found: Range, places: int, units: int) -> Range:
    """Return a range whose open ends are the largest numbers with so many places; steps are counted from 0 then."""
    largest = Decimal(LARGEST).scaleb(-places)
    lowest = -Decimal(LARGEST // units * units).scaleb(-places)
    low = replace(found.low, value=lowest) if found.open_low and isinstance(found.low, Literal) else found.low
    high = replace(found.high, value=largest) if found.open_high and isinstance(found.high, Literal) else found.high
    return replace(found, low=low, high=high)


def _described(head: DecimalNumber, writer: Describer) -> str:
    by = f" step {Decimal(head.step).scaleb(-head.places)}" if head.step > 1 else ""
    return f"{ranged.range_text(head, writer)}{by}, {head.places} places"


HEAD = HeadRule(
    DecimalNumber,
    {"decimal": build},
    lambda head, scope, record: decimal(head.places),
    _described,
    ranged.cardinality,
    check=ranged.check,
)
