"""The head `decimal`: exact decimals; the bounds and the step determine the number of places."""

from __future__ import annotations

from decimal import Decimal

from lark import Tree

from yurt.core.base.types import decimal
from yurt.core.grammar.builder import Builder
from yurt.core.heads import ranged
from yurt.core.heads.head import Describer, HeadRule
from yurt.core.model import DecimalNumber
from yurt.core.model.expressions import Literal, walk


def build(builder: Builder, tree: Tree) -> DecimalNumber:
    """Return the head of a tree."""
    _, range_tree, _, step_tree = tree.children
    found = ranged.range_of(builder, range_tree, tree, "decimal", "decimal 18.00..95.00")
    step = Decimal(builder.number(step_tree)) if step_tree is not None else None
    written = [each.value for end in (found.low, found.high) for each in walk(end) if isinstance(each, Literal)]
    decimals = [each for each in [*written, step] if isinstance(each, Decimal)]
    places = max((-int(each.as_tuple().exponent) for each in decimals), default=0)
    if not places:
        expected = "places in a bound or step: 18.00..95.00"
        builder.findings.error("a decimal without places", builder.span(tree), expected)
        places = 2
    units = int(step.scaleb(places)) if step is not None else 1
    if units < 1:
        builder.findings.error("a step of 0", builder.span(step_tree), "a step above 0")
    return DecimalNumber(found, places, max(units, 1))


def _described(head: DecimalNumber, writer: Describer) -> str:
    by = f" step {Decimal(head.step).scaleb(-head.places)}" if head.step > 1 else ""
    return f"{writer.text(head.range.low)}..{writer.text(head.range.high)}{by}, {head.places} places"


HEAD = HeadRule(
    DecimalNumber,
    {"decimal": build},
    lambda head, scope, record: decimal(head.places),
    _described,
    ranged.cardinality,
    check=ranged.check,
)
