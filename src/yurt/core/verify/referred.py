"""The rows that others refer to, as far as these read them: their keys, and the fields behind references."""

from __future__ import annotations

import numpy as np

from yurt.core.base.types import BOOLEAN, TEXT, Type
from yurt.core.columns.column import Column, Mask, constant, merge
from yurt.core.model import Record, Reference
from yurt.core.model.plan import Plan
from yurt.core.verify.frame import Frame, Parents
from yurt.core.verify.known import Known


class Referred:
    """Collects the rows of a record type, block by block; `members` are the paths that others read."""

    def __init__(self, record: Record, members: set[str], plan: Plan, known: Known) -> None:
        assert record.key is not None
        self.record, self.plan, self.known, self.key = record, plan, known, record.key.name
        self.keys: list[Column] = []
        self.members: dict[str, list[tuple[Column, Mask]]] = {each: [] for each in members if not self._why_not(each)}
        self.total = 0

    @property
    def names(self) -> set[str]:
        """The fields of the rows themselves that are read."""
        return {self.key, *(self._step(each) or each for each in self.members)}

    def _step(self, path: str) -> str:
        """Return the reference at the beginning of a path; empty if the path is a field."""
        if path in self.record.by_name:
            return ""
        return next(name for name in self.record.by_name if path.startswith(name + "."))

    def _why_not(self, path: str) -> str:
        step = self._step(path)
        if not step:
            return self.known.field(self.record, path)
        return self.known.member(self.record, step, path[len(step) + 1 :])

    def add(self, frame: Frame) -> None:
        """Keep what is read of a block."""
        self.total += frame.size
        self.keys.append(frame.fields[self.key].spread(frame.size))
        for path, parts in self.members.items():
            parts.append(self._member(frame, path))

    def _member(self, frame: Frame, path: str) -> tuple[Column, Mask]:
        step = self._step(path)
        if not step:
            return frame.named(path).spread(frame.size), frame.at_fault(path)
        rest = path[len(step) + 1 :]
        return frame.member(step, rest).spread(frame.size), ~frame.sound_member(step, rest)

    def parents(self) -> Parents:
        """Return the rows for the record types that refer to them."""
        members = {
            path: (
                _together([column for column, _ in parts], self.total),
                np.concatenate([mask for _, mask in parts]),
            )
            for path, parts in self.members.items()
            if parts
        }
        # Of a file without a row, others still read the types.
        members |= {
            path: (_without_rows(self._type(self.record, path)), np.zeros(0, bool))
            for path in self.members if path not in members
        }  # fmt: skip
        keys = _together(self.keys, self.total) if self.keys else constant("").spread(0)
        return Parents(keys, self.total, members)

    def _type(self, record: Record, path: str) -> Type:
        """Return the type of a field, or of one that is read through references."""
        if path in record.by_name:
            return self.plan.types[record.name, path]
        step = next(name for name in record.by_name if path.startswith(name + "."))
        head = record.by_name[step].head
        assert isinstance(head, Reference)
        return self._type(self.known.schema.records[head.record], path[len(step) + 1 :])


def _together(columns: list[Column], size: int) -> Column:
    """Join the columns of blocks."""
    at, parts = 0, []
    for each in columns:
        length = len(each.values)
        parts.append((np.arange(at, at + length), each))
        at += length
    return merge(parts, size, columns[0].type)


def _without_rows(kind: Type) -> Column:
    """Return a column of a type without rows."""
    return (
        constant("").spread(0) if kind == TEXT else Column(kind, np.zeros(0, np.bool_ if kind == BOOLEAN else np.int64))
    )
