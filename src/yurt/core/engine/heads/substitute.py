"""Makes substitutes: a value of another phrase, drawn at the row number that is the keyed hash of the original."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pyarrow as pa

from yurt.core import model
from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow, flags, numbers_or, strings
from yurt.core.columns.column import Column, Places, merge
from yurt.core.engine.by_value import ROWS, ByValue, Originals, hashed, originals, secret_of
from yurt.core.engine.entity import entity_of
from yurt.core.engine.known_values import OF_CITIES, locales_of, sexes_of
from yurt.core.engine.scope import BatchScope, TableScope
from yurt.core.heads.substitute import Substitute
from yurt.core.keyed.blocks import BlockCipher
from yurt.core.keyed.format_preserving import Cycle
from yurt.core.model import Field, KindOf, OneOf
from yurt.core.model.expressions import Name
from yurt.core.planning.contracts import Contracts
from yurt.core.sampling.streams import Rows

# How often a value is drawn that is not the original.
ATTEMPTS = 16
# An odd factor, so that the next number of a row is as good as the first.
AGAIN = np.uint64(0x9E3779B97F4A7C15)
# The kinds whose values say which sex a person has.
OF_A_SEX = ("given-name", "full-name", "additional-name")


def substitute(field: model.Field, phrase: model.Phrase, table: TableScope) -> Callable[[BatchScope], Column]:
    """A value of the head's phrase for each value; equal values get equal ones."""
    head = phrase.head
    assert isinstance(head, Substitute)
    hash_of = hashed(secret_of(table), "substitute", head.domain)
    if head.evenly:
        return _evenly(head, table)
    inner = Field(head.domain, head.phrase, unique=field.unique)
    kind = head.phrase.head
    follows = isinstance(kind, KindOf) and bool(kind.follows)
    make_value = table.phrase_maker(inner, head.phrase)

    needs = set(table.run.plan.needs[table.record.name, field.name])
    by_value_alone = not follows and isinstance(head.original, Name) and needs <= {head.original.name}

    def substitutes(found: Originals, batch: BatchScope) -> Column:
        keys = hash_of(found.different)[found.codes] & ROWS

        def drawn(rows: Places) -> Column:
            own = ByValue(batch, keys[rows], rows, head.domain)
            if isinstance(kind, KindOf):
                _as_the_value_says(own, kind, found.codes[rows], found.different, table)
            return make_value(own).spread(len(rows))

        column = drawn(np.arange(len(keys)))
        if not follows:
            column = _never_itself(column, found, keys, drawn)
        return found.kept_empty(column)

    def make(batch: BatchScope) -> Column:
        found = originals(head.original, batch)
        if by_value_alone:
            column = substitutes(found.each_once(), batch).take(found.codes)
        else:
            column = substitutes(found, batch)
        return column if found.nulls is None else column.with_nulls(found.nulls)

    return make


def _never_itself(
    column: Column, found: Originals, keys: Rows, drawn: Callable[[Places], Column]
) -> Column:  # fmt: skip
    """Return substitutes that are not the originals: another draw for those that are, by the value as well."""
    rows = np.arange(len(keys))
    texts = pc.take(found.different, arrow(found.codes))
    for _ in range(ATTEMPTS):
        same = pc.equal(Column(column.type, column.values).text(len(keys)), texts)
        places = np.flatnonzero(flags(same))
        if not len(places):
            return column
        keys[places] = (keys[places] * AGAIN + np.uint64(1)) & ROWS
        others = np.setdiff1d(rows, places, assume_unique=True)
        column = merge([(others, column.take(others)), (places, drawn(places))], len(keys), column.type)
    return column


def _as_the_value_says(
    batch: ByValue, kind: KindOf, codes: Places, different: pa.Array, table: TableScope
) -> None:  # fmt: skip
    """Give the person of each row the sex, and the place the locale, that the original has."""
    entity = entity_of(table, kind.about)
    folder = table.run.schema.catalogue
    if kind.name in OF_A_SEX and "sex" not in entity.fixed:
        known = sexes_of(different, folder)[codes]
        batch.shared[kind.about, "sex"] = np.where(known >= 0, known, entity.sex(batch))
    if kind.name in OF_CITIES and len(entity.locales) > 1 and not entity.asking:
        at = locales_of(different, kind.name, entity.locales, folder)[codes]
        batch.shared[kind.about, "locale"] = np.where(at >= 0, at, entity.locale(batch))


def _evenly(head: Substitute, table: TableScope) -> Callable[[BatchScope], Column]:
    """Values of a list, by a keyed permutation of it: each is as likely, and different ones of it stay different."""
    inner = head.phrase.head
    values = inner.values if isinstance(inner, OneOf) else _listed(head, table)
    words = strings(sorted({str(each) for each in values}))
    secret = secret_of(table)
    cycle = Cycle(BlockCipher(secret.key("evenly", head.domain)), len(words), b"evenly")
    hash_of = hashed(secret, "substitute", head.domain)

    def make(batch: BatchScope) -> Column:
        found = originals(head.original, batch)
        at = pc.index_in(found.different, value_set=words)
        others = hash_of(found.different) % np.uint64(len(words))
        known = numbers_or(at, np.int32, -1)
        ranks = np.where(known >= 0, known, others.astype(np.int64)).astype(np.uint64)
        places = cycle(ranks).astype(np.int64)
        return found.kept_empty(found.spread(pc.take(words, arrow(places))))

    return make


def _listed(head: Substitute, table: TableScope) -> frozenset[str] | tuple[str, ...]:
    inner = head.phrase.head
    if isinstance(inner, model.FromList):
        return tuple(str(each) for each in table.run.schema.lists[inner.name].column(inner.column))
    contract = Contracts(table.run.schema, table.record, table.run.today).of(head.phrase)
    known = contract.values if contract.values is not None else contract.usual
    assert known is not None
    return known


MAKES = {Substitute: substitute}
