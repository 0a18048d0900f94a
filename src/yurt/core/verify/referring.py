"""Validates single records together with those that they refer to."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from datetime import date

from yurt.core.formats.common.raw import Block, Reading, Value, written
from yurt.core.formats.common.tree import columns_of, layout_of
from yurt.core.model import Record, Schema
from yurt.core.planning.references import referenced_first, referred_later
from yurt.core.verify.cross_row import CrossRowState
from yurt.core.verify.frame import Parents
from yurt.core.verify.known import Known, members_read
from yurt.core.verify.of_records import Broken
from yurt.core.verify.referred import Referred
from yurt.core.verify.validator import Validator
from yurt.core.verify.violation import Violation

# The sets of rows of targets that are kept as they were read, and the longest one, in characters.
MOST, LONGEST = 1_000, 10_000


class ReferringValidator:
    """Checks records of one type, whose targets are given with them, as if both were files.

    Made once, it is quick for many records. Of the targets it looks only at what the record reads.
    """

    def __init__(self, schema: Schema, record: Record, today: date) -> None:
        self.record = record
        names = referenced_first(schema, [record.name])
        known = Known(schema, set(names), later=referred_later(schema, names))
        members = members_read(schema, names)
        # Each enters the fields that are shown in part, which others may read.
        for name in names:
            Validator(schema, schema.records[name], schema.plan, known, today, plain=False)
        self.validators = {
            name: Validator(schema, schema.records[name], schema.plan, known, today, plain=False) for name in names
        }
        self.layouts = {name: layout_of(schema.records[name]) for name in names}
        # Those with a key that is known.
        keyed = [name for name in names if schema.records[name].key is not None and not known.rows(name)]
        self.targets = [name for name in keyed if name != record.name]
        self.referred = {name: (schema.records[name], members[name], schema.plan, known) for name in self.targets}
        # Each target with all that it refers to.
        self.above = {name: referenced_first(schema, [name]) for name in self.targets}
        self._seen: dict[tuple[str, str], Parents] = {}
        for name in self.targets:
            self.validators[name].restrict(Referred(*self.referred[name]).names)

    @property
    def unjudged(self) -> dict[str, str]:
        """What is not checked of the record type, with the reason."""
        return self.validators[self.record.name].unjudged

    def broken(self, rows: Sequence[Value], targets: Mapping[str, Sequence[Value]]) -> Iterator[Broken]:
        """Yield every value of the rows that breaks a rule; `targets` are the rows that these and one another refer to,
        by record type.
        """
        parents: dict[str, Parents] = {}
        for name in self.targets:
            # Many records refer to the same few rows.
            key = name, written([list(targets.get(each, ())) for each in self.above[name]])
            if key not in self._seen and len(self._seen) >= MOST:
                self._seen.clear()
            parents[name] = self._seen.get(key) or self._parents(name, targets.get(name, ()), parents)
            if len(key[1]) <= LONGEST:
                self._seen[key] = parents[name]
        for each in self._violations(rows, parents):
            for one in each.examples(0, len(each)):
                yield Broken(one.row, each.field, each.rule, one.value, one.expected)

    def _parents(self, name: str, rows: Sequence[Value], parents: dict[str, Parents]) -> Parents:
        """Return rows of a target for those that refer to them; `parents` are the rows that these refer to."""
        referred = Referred(*self.referred[name])
        if rows:
            validator = self.validators[name]
            frame, _ = validator.read(self._block(name, rows), parents)
            # References that lead nowhere are noted in the frame.
            list(validator.dangling(frame))
            referred.add(frame)
        return referred.parents()

    def _violations(self, rows: Sequence[Value], parents: dict[str, Parents]) -> Iterator[Violation]:
        validator = self.validators[self.record.name]
        frame, found = validator.frame(self._block(self.record.name, rows), parents)
        yield from found
        yield from validator.dangling(frame)
        kept = CrossRowState(self.record, None)
        kept.add(frame, 0)
        yield from kept.repeated()
        yield from kept.lost()
        yield from kept.too_many(parents, whole=False)

    def _block(self, name: str, rows: Sequence[Value]) -> Block:
        return Block(len(rows), columns_of(list(rows), self.layouts[name], Reading(lambda: iter(()))))
