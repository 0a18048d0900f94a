"""Makes substitutes: a value of another phrase, drawn at the row number that is the keyed hash of the original."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from yurt.core import model
from yurt.core.base.arrays import numbers, strings
from yurt.core.columns.column import Column
from yurt.core.engine.by_value import ROWS, ByValue, Originals, hashed, originals, secret_of
from yurt.core.engine.entity import entity_of
from yurt.core.engine.known_values import OF_CITIES, locales_of, sexes_of
from yurt.core.engine.scope import BatchScope, TableScope
from yurt.core.heads.substitute import Substitute
from yurt.core.keyed.format_preserving import Cycle
from yurt.core.keyed.blocks import BlockCipher
from yurt.core.model import Field, KindOf, OneOf
from yurt.core.planning.contracts import Contracts

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
    make_value = table.phrase_maker(inner, head.phrase)

    def make(batch: BatchScope) -> Column:
        found = originals(head.original, batch)
        keys = hash_of(found.different)[found.codes] & ROWS
        own = ByValue(batch, keys, np.arange(len(keys)), head.domain)
        if isinstance(head.phrase.head, KindOf):
            _as_the_value_says(own, head.phrase.head, found, table)
        column = make_value(own).spread(len(keys))
        return column if found.nulls is None else column.with_nulls(found.nulls)

    return make


def _as_the_value_says(batch: ByValue, kind: KindOf, found: Originals, table: TableScope) -> None:
    """Give the person of each row the sex, and the place the locale, that the original has."""
    entity = entity_of(table, kind.about)
    folder = table.run.schema.catalogue
    if kind.name in OF_A_SEX and "sex" not in entity.fixed:
        known = sexes_of(found.different, folder)[found.codes]
        batch.shared[kind.about, "sex"] = np.where(known >= 0, known, entity.sex(batch))
    if kind.name in OF_CITIES and len(entity.locales) > 1 and not entity.asking:
        at = locales_of(found.different, kind.name, entity.locales, folder)[found.codes]
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
        known = numbers(pc.fill_null(at, -1), np.int32).astype(np.int64)
        ranks = np.where(known >= 0, known, others.astype(np.int64)).astype(np.uint64)
        places = cycle(ranks).astype(np.int64)
        return found.spread(words.take(pa.array(places)))

    return make


def _listed(head: Substitute, table: TableScope) -> frozenset[str] | tuple[str, ...]:
    inner = head.phrase.head
    if isinstance(inner, model.FromList):
        return tuple(str(each) for each in table.run.schema.lists[inner.name].column(inner.column))
    contract = Contracts(table.run.schema, table.record, table.run.today).of(head.phrase)
    assert contract.values is not None
    return contract.values


MAKES = {Substitute: substitute}
