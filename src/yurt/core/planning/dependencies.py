"""What every field needs before it can be made, the order that follows from it, and cycles, which are errors."""

from __future__ import annotations

from collections.abc import Iterator

from yurt.core import model
from yurt.core.kinds.catalogue import KINDS
from yurt.core.model import Field, Record, Schema, expressions_in, phrases_in
from yurt.core.model.expressions import Call, Expression, Member, Name, walk
from yurt.core.model.plan import Node
from yurt.core.planning.entities import AGES, fixed_by
from yurt.core.source.diagnostics import Findings, Span

# The node of all conditions of a record type together.
ALWAYS = "the conditions of `always`"


def expressions_of(field: Field) -> Iterator[Expression]:
    """Yield every expression that a field's value depends on."""
    yield from expressions_in((field.present_if, field.body))


class Dependencies:
    """The graph of all fields of a schema. `order` has every node after those it needs."""

    def __init__(self, schema: Schema, findings: Findings) -> None:
        self.schema = schema
        self.findings = findings
        self.order: dict[Node, None] = {}
        # The nodes that need each other.
        self.circular: set[Node] = set()
        self.fixed = {name: fixed_by(record) for name, record in schema.records.items()}

    def depends(self, node: Node) -> list[tuple[Node, Span]]:
        """Return what a field (or a record's `always`) needs, each with the place in the file that requires it."""
        record = self.schema.records[node[0]]
        if node[1] == ALWAYS:
            return self._names_in(record, record.always)
        field = record.by_name[node[1]]
        found = self._names_in(record, tuple(expressions_of(field)))
        for head in (phrase.head for phrase in phrases_in(field.body)):
            if isinstance(head, model.KindOf) and head.name in KINDS and KINDS[head.name].about:
                fixed = self.fixed[record.name].get(head.about, {})
                by_age = KINDS[head.name].by_age
                needed = tuple(each for aspect, each in fixed.items() if by_age or aspect not in AGES)
                found += self._names_in(record, needed)
        if isinstance(field.head, model.Reference) and (target := self.schema.records.get(field.head.record)):
            if target.key is not None and target.key is not field:
                found.append(((target.name, target.key.name), field.span))
            found += self._conditions_of(target, field.span)
            weight = field.phrases[0].weighted_by
            found += [((target.name, weight), field.span)] if weight is not None and weight in target.by_name else []
        return found

    def _names_in(self, record: Record, expressions: tuple[Expression, ...]) -> list[tuple[Node, Span]]:
        found: list[tuple[Node, Span]] = []
        for expression in expressions:
            for each in walk(expression):
                if isinstance(each, Name) and each.name in record.by_name:
                    found.append(((record.name, each.name), each.span))
                if isinstance(each, Call) and each.function in ("previous", "running"):
                    # The values of another row of the same record type depend on the conditions, too.
                    found += self._conditions_of(record, each.span)
                if isinstance(each, Member):
                    found += self._along(record, each)
        return found

    def _along(self, record: Record, member: Member) -> list[tuple[Node, Span]]:
        """What a field of another record needs: every reference on the path, and the field at its end."""
        target = self.target(record, member.reference)
        found: list[tuple[Node, Span]] = []
        if member.reference in record.by_name:
            found.append(((record.name, member.reference), member.span))
        if target is None:
            return found
        if member.name in target.by_name:
            return [*found, ((target.name, member.name), member.span), *self._conditions_of(target, member.span)]
        further = self.further(target, member)
        return [*found, *self._along(target, further)] if further is not None else found

    def further(self, target: Record, member: Member) -> Member | None:
        """Return the rest of a path after its first reference has led to `target`."""
        steps = member.name.split(".")
        for size in range(1, len(steps)):
            held = target.by_name.get(".".join(steps[:size]))
            if held is not None and isinstance(held.head, model.Reference):
                return Member(held.name, ".".join(steps[size:]), member.span)
        return None

    def _conditions_of(self, target: Record, span: Span) -> list[tuple[Node, Span]]:
        """The values of another row depend on the `always` of its record type, which may draw it again."""
        return [((target.name, ALWAYS), span)] if target.always else []

    def target(self, record: Record, reference: str) -> Record | None:
        head = record.by_name[reference].head if reference in record.by_name else None
        return self.schema.records.get(head.record) if isinstance(head, model.Reference) else None

    def find_order(self) -> None:
        """Put all fields in an order in which they can be made; note the cycles."""
        for record in self.schema.records.values():
            for field in record.fields:
                if (record.name, field.name) not in self.order:
                    self._visit((record.name, field.name))

    def _visit(self, start: Node) -> None:
        """Walk along the dependencies with an explicit stack: a chain may be longer than Python's own."""
        path: dict[Node, Iterator[tuple[Node, Span]]] = {start: iter(self.depends(start))}
        while path:
            node = next(reversed(path))
            need, span = next(path[node], (None, None))
            if need is None or span is None:
                del path[node]
                self.order[node] = None
            elif need in path:
                names = list(path)
                self._circle([*names[names.index(need) :], need], span)
            elif need not in self.order:
                path[need] = iter(self.depends(need))

    def _circle(self, nodes: list[Node], span: Span) -> None:
        self.circular.update(nodes)
        many = len({record for record, _ in nodes}) > 1
        shown = " → ".join(f"{record}.{name}" if many else name for record, name in nodes)
        advice = "break the cycle at one of them"
        self.findings.error(f"fields that need each other: {shown}", span, hint=advice)
