"""The head of a kind of the catalogue."""

from __future__ import annotations

from datetime import date

from yurt.core.base.nearest import did_you_mean
from yurt.core.base.types import Type
from yurt.core.grammar.builder import Builder
from yurt.core.grammar.tree import Tree
from yurt.core.heads.head import ENDLESS, Describer, HeadRule, NotUnique, TypeScope, WidthScope
from yurt.core.kinds.catalogue import KINDS
from yurt.core.model import KindOf, Phrase, Record, Schema
from yurt.core.model.expressions import Expression, Literal, Name

SENTENCE = 200
# The bytes of one sentence, one paragraph, and one character, for texts whose size is an argument.
SIZES = {"sentences": SENTENCE, "paragraphs": 4 * SENTENCE, "longest": 8}


def build(builder: Builder, tree: Tree) -> KindOf:
    """Return the head of a tree."""
    name, *given, _, of = tree.children
    found = arguments(builder, str(name), tree, [each for each in given if each is not None])
    return KindOf(str(name), str(of) if of is not None else "", arguments=found)


def arguments(
    builder: Builder, name: str, tree: Tree, given: list[Tree]
) -> tuple[tuple[str, tuple[Expression, ...]], ...]:
    """Return the arguments of a kind of the catalogue: each parameter with its values."""
    if name not in KINDS:
        return ()
    known = KINDS[name].parameters
    found: dict[str, tuple[Expression, ...]] = {}
    for position, each in enumerate(given):
        label, value = each.children
        span = builder.span(each)
        several = value.data == "several"
        parameter = str(label) if label is not None else [*known, ""][min(position, len(known))]
        words = known[parameter].choices if parameter in known else ()
        values = tuple(_value(builder, part, words) for part in (value.children if several else (value,)))
        if parameter not in known:
            hint = did_you_mean(parameter, known)
            expected = f"{name}({', '.join(f'{one} = …' for one in known)})" if known else f"`{name}` alone"
            what = f"has no parameter `{parameter}`" if parameter else f"takes at most {len(known)} arguments"
            builder.findings.error(f"`{name}` {what}", span, expected, hint)
        elif parameter in found:
            builder.findings.error(f"`{parameter}` occurs twice", span)
        elif several and not known[parameter].several:
            builder.findings.error(f"`{parameter}` has one value", span)
        else:
            found[parameter] = values
    return tuple(found.items())


def _value(builder: Builder, tree: Tree, words: tuple[str, ...]) -> Expression:
    """Return the value of a parameter; one of its words means itself."""
    found = builder.build(tree)
    return Literal(found.name, found.span) if isinstance(found, Name) and found.name in words else found


def _data_type(head: KindOf, scope: TypeScope, record: Record) -> Type | None:
    # The typer reports unknown names.
    for value in (each for _, values in head.arguments for each in values):
        scope.typer(record).type_of(value)
    return KINDS[head.name].type if head.name in KINDS else None


def _described(head: KindOf, writer: Describer) -> str:
    told = ", ".join(f"{name} = {' | '.join(map(writer.text, values))}" for name, values in head.arguments)
    clauses = [f" of {head.of}"] if head.of else []
    clauses += [f", locale {head.locale}"] if head.locale else []
    clauses += [", live"] if head.live else []
    clauses += [", chosen by its name"] if head.guessed else []
    return head.name + (f"({told})" if told else "") + "".join(clauses)


def _cardinality(head: KindOf, phrase: Phrase, today: date, schema: Schema) -> int:
    found = _counted(head)
    if not found:
        raise NotUnique(f"`{head.name}` repeats as in reality; `email`, `username` or a pattern can be unique")
    if phrase.narrowed is not None:
        raise NotUnique("the remaining values of a kind are not counted; restrict a pattern instead")
    return found


def _counted(head: KindOf) -> int:
    if head.name not in KINDS:
        return ENDLESS
    kind = KINDS[head.name]
    if kind.counted is None:
        return kind.unique
    told = {name: [each.value for each in values if isinstance(each, Literal)] for name, values in head.arguments}
    return kind.counted(told)


def _width(head: KindOf, scope: WidthScope) -> int:
    return max([SENTENCE, *(_told_width(name, values) for name, values in head.arguments)])


def _told_width(name: str, values: tuple[Expression, ...]) -> int:
    """Return the width of a text by the arguments of its kind: a number of sentences, paragraphs, or characters."""
    count = values[0].value if values and isinstance(values[0], Literal) else 0
    return SIZES.get(name, 0) * count if isinstance(count, int) else 0


HEAD = HeadRule(KindOf, {"kind": build}, _data_type, _described, _cardinality, _width)
