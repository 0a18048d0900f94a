"""What can be checked: not a rule that reads a drawn helper field or a missing file."""

from __future__ import annotations

from collections.abc import Iterable, Set

from yurt.core.model import Derived, ListOf, Nested, Phrase, Record, Reference, Schema, expressions_in
from yurt.core.model.expressions import Call, Draw, Expression, Member, Name, walk
from yurt.core.model.functions import OF_SIBLINGS

# Why something cannot be checked in a part of a file.
OF_WHOLE = "depends on earlier rows, and some of them are missing"
# The same for cases, each of which is on its own.
OF_CASE = "depends on earlier rows, and a case stands alone"
# The same for data whose rows come in another order: tables without a sequence, and sheets for each value.
OF_TABLE = "depends on earlier rows, and the rows are not in their order"


class Known:
    """Explains why the expressions of a schema cannot be checked, if some record types have no data."""

    def __init__(
        self, schema: Schema, given: set[str], whole: bool = False, alone: str = "", children: str = "",
        later: Set[tuple[str, str]] = frozenset(),
    ) -> None:  # fmt: skip
        """`given` are the record types with data; `whole` means that no rows are missing from them.

        `alone` is why no rows are earlier ones, if that is so. Of the record type `children`, each parent has its
        children in their order nevertheless, without a gap. `later` has the pairs of record types of which the first is
        read before the second, to which it refers.
        """
        self.later = later
        self.children = children
        self.schema = schema
        self.given = given
        self.whole = whole and not alone
        self.why = alone or OF_WHOLE
        # Fields whose values the file shows in part, and why; `Validator` enters those of its record type.
        self.unread: dict[tuple[str, str], str] = {}
        self._fields: dict[tuple[str, str], str] = {}

    def in_order(self, record: Record) -> bool:
        """Return whether something can be said of the rows of a record type by those before them."""
        return self.whole or record.name == self.children

    def why_not(self, record: Record, expressions: Iterable[Expression]) -> str:
        """Return why something cannot be computed for a record type; empty if it can."""
        for expression in expressions:
            for node in walk(expression):
                if reason := self._node(record, node):
                    return reason
        return ""

    def _node(self, record: Record, node: Expression) -> str:
        match node:
            case Draw():
                return "`draw(…)` is random"
            case Call("ordinal", _, _) if self.in_order(record):
                return ""
            case Call(function, _, _) if function in OF_SIBLINGS and not self.whole:
                return f"`{function}` {self.why}"
            case Name("row", _) if "row" not in record.by_name and not self.whole:
                return f"`row` {self.why}"
            case Name(name, _) if name in record.by_name:
                return self.field(record, name)
            case Member(reference, name, _):
                return self.member(record, reference, name)
        return ""

    def member(self, record: Record, reference: str, path: str) -> str:
        """Return why a field of a referenced record is unknown; empty if it is known."""
        if reason := self.field(record, reference):
            return reason
        head = record.by_name[reference].head
        assert isinstance(head, Reference)
        if reason := self.target(record, head.record):
            return reason
        if head.record == record.name:
            return "it depends on other rows of the same file"
        target = self.schema.records[head.record]
        if path in target.by_name:
            return self.field(target, path)
        step = next(name for name in target.by_name if path.startswith(name + "."))
        return self.member(target, step, path[len(step) + 1 :])

    def target(self, record: Record, name: str) -> str:
        """Return why the rows of one type that those of another refer to cannot be found; empty if they can."""
        if (record.name, name) in self.later:
            return f"`{name}` is read after `{record.name}`, since both refer to each other"
        return self.rows(name)

    def rows(self, name: str) -> str:
        """Return why the row that a reference points to cannot be found; empty if it can."""
        if name not in self.given:
            return f"there is no data of `{name}`"
        target = self.schema.records[name]
        return "" if target.key is None else self.field(target, target.key.name)

    def field(self, record: Record, name: str) -> str:
        """Return why the values of a field are unknown; empty if they are known."""
        key = (record.name, name)
        if key not in self._fields:
            field = record.by_name[name]
            if not field.helper:
                self._fields[key] = f"of `{name}`, {self.unread[key]}" if key in self.unread else ""
            elif isinstance(field.body, Phrase) and isinstance(field.head, Derived) and field.present_if is None:
                why = f"`{name}` is a helper, and where it is missing was drawn" if field.body.missing else ""
                self._fields[key] = why or self.why_not(record, expressions_in(field.body))
            elif isinstance(field.head, Nested | ListOf):
                self._fields[key] = f"`{name}` is a helper"
            else:
                self._fields[key] = f"`{name}` is a helper and was drawn"
        return self._fields[key]


def members_read(schema: Schema, readers: Iterable[str] | None = None) -> dict[str, set[str]]:
    """Return, for each record type, the paths that others (by default all) read through references to it."""
    found: dict[str, set[str]] = {name: set() for name in schema.records}

    def follow(record: Record, reference: str, path: str) -> None:
        head = record.by_name[reference].head
        assert isinstance(head, Reference)
        found[head.record].add(path)
        target = schema.records[head.record]
        if path not in target.by_name:
            step = next(name for name in target.by_name if path.startswith(name + "."))
            follow(target, step, path[len(step) + 1 :])

    for record in map(schema.records.__getitem__, schema.records if readers is None else readers):
        parts = [*(each.body for each in record.fields), *(each.present_if for each in record.fields), record.always]
        for expression in expressions_in(tuple(parts)):
            for node in walk(expression):
                if isinstance(node, Member):
                    follow(record, node.reference, node.name)
    return found
