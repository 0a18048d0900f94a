"""Makes the values of kinds of the catalogue."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from yurt.core import model
from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow
from yurt.core.base.types import TEXT
from yurt.core.columns.column import Column, Mask, merge
from yurt.core.columns.matching import follows
from yurt.core.engine.kind_context import BatchContext
from yurt.core.engine.matching import drawn
from yurt.core.engine.scope import BatchScope, TableScope
from yurt.core.kinds.catalogue import KINDS
from yurt.core.patterns.tree import Pattern

# The draws of a usual kind that are tested, and the share of them that must be allowed; with fewer, texts that are not
# are shortened or replaced at once, and otherwise after some draws.
PROBED, LEAST_SHARE, PATIENCE = 500, 0.1, 8


def kind(field: model.Field, phrase: model.Phrase, table: TableScope) -> Callable[[BatchScope], Column]:
    """A value of the catalogue, consistent with the other kinds of the record."""
    head = phrase.head
    assert isinstance(head, model.KindOf)
    make = KINDS[head.name].make
    assert make is not None

    def made(batch: BatchScope) -> Column:
        return make(BatchContext(batch, field.name, head, field.unique))

    return made if phrase.allowed is None else _within(made, phrase.allowed, field.name, table)


def _within(
    make: Callable[[BatchScope], Column], allowed: Pattern, name: str, table: TableScope
) -> Callable[[BatchScope], Column]:
    """Return a maker of texts that are allowed, although their kind may have other ones."""
    known: list[bool] = []

    def enough() -> bool:
        """Return whether enough texts are allowed for the others to be drawn again."""
        if not known:
            probe = table.batch(np.arange(min(max(table.count, 1), PROBED), dtype=np.uint64))
            known.append(float(np.mean(~_refused(make(probe), allowed, len(probe.rows)))) >= LEAST_SHARE)
        return known[0]

    def made(batch: BatchScope) -> Column:
        size = len(batch.rows)
        column = make(batch)
        if not size or (batch.attempt < PATIENCE and not batch.inside and enough()):
            return column
        column = column.spread(size)
        wrong = np.flatnonzero(_refused(column, allowed, size))
        if not len(wrong):
            return column
        shorter = _shortened(column.take(wrong), allowed, len(wrong))
        left = np.flatnonzero(_refused(shorter, allowed, len(wrong)))
        parts = [(np.setdiff1d(np.arange(size), wrong), column), (wrong, shorter)]
        parts = [(at, each.take(at) if each is column else each) for at, each in parts]
        if len(left):
            fine = np.setdiff1d(np.arange(len(wrong)), left)
            others = drawn(allowed, batch.select(wrong[left]), name, "allowed")
            parts = [parts[0], (wrong[fine], shorter.take(fine)), (wrong[left], others)]
        return merge(parts, size, TEXT)

    return made


def share_allowed(field: model.Field, phrase: model.Phrase, batch: BatchScope) -> float:
    """Return the share of the texts of a usual kind that are allowed as they are."""
    head, allowed = phrase.head, phrase.allowed
    assert isinstance(head, model.KindOf)
    assert allowed is not None
    make = KINDS[head.name].make
    assert make is not None
    column = make(BatchContext(batch, field.name, head, field.unique))
    return float(np.mean(~_refused(column, allowed, len(batch.rows))))


def _refused(column: Column, allowed: Pattern, size: int) -> Mask:
    found: Mask = ~follows(allowed, Column(TEXT, column.values).text(size))
    return found if column.nulls is None else found & ~column.nulls


def _shortened(column: Column, allowed: Pattern, size: int) -> Column:
    """Return texts cut to the maximum length, at the end of a word where there is one."""
    _, longest = allowed.lengths
    if longest is None:
        return column
    texts = Column(TEXT, column.values).text(size)
    whole = pc.utf8_slice_codeunits(texts, start=0, stop=longest)
    words = pc.replace_substring_regex(pc.utf8_slice_codeunits(texts, start=0, stop=longest + 1), r"\s\S*$", "")
    long = pc.greater(pc.utf8_length(words), pc.utf8_length(whole))
    empty = pc.equal(pc.utf8_length(words), arrow(np.zeros(size, dtype=np.int32)))
    found = pc.if_else(pc.or_(long, empty), whole, words)
    return Column(TEXT, found, column.nulls)


MAKES = {model.KindOf: kind}
