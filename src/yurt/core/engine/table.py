"""A record type in a run: its makers, its references, and its rows that meet all conditions."""

from __future__ import annotations

from functools import cached_property
from typing import Any

from yurt.core.engine.batch import Batch
from yurt.core.engine.correlation import correlations
from yurt.core.engine.family import Family
from yurt.core.engine.fields import maker_of, phrase_maker
from yurt.core.engine.overrides import Overrides
from yurt.core.engine.ranks import rankers
from yurt.core.engine.references import References
from yurt.core.engine.resolved import Resolved
from yurt.core.engine.scope import Maker, Ordinals, Ranker, ReferenceScope, RunScope
from yurt.core.kinds.catalogue import KINDS
from yurt.core.model import Field, KindOf, Phrase, Record, Reference, Restriction
from yurt.core.sampling.streams import Rows

# The draws of a row after which no other is expected to meet the conditions.
ATTEMPTS = 1000


class Table:
    """A record type of a run: `count` rows, a maker for each field."""

    def __init__(
        self, run: RunScope, record: Record, count: int, family: Family | None, overrides: Overrides | None = None
    ) -> None:
        self.run = run
        self.record = record
        self.count = count
        self.family = family
        self.ordinal_override: Ordinals | None = overrides.ordinals if overrides is not None else None
        self.changing = overrides is not None and overrides.changing
        self.attempts = overrides.attempts if overrides is not None else ATTEMPTS
        self.correlations = correlations(record)
        self.restrictions = _restrictions(record)
        self.in_order = {
            *self.correlations,
            *(name for each in self.correlations.values() for name in each.shares.tracked),
        }
        self.once: dict[Any, Any] = {}
        self.makers: dict[str, Maker] = {each.name: maker_of(each, self) for each in record.fields}
        self.references: dict[str, ReferenceScope] = {
            each.name: References(self, each, family if each is record.parent_field else None)
            for each in record.fields
            if isinstance(each.head, Reference)
        }
        if overrides is not None:
            self.makers = {
                name: overrides.maker(record.by_name[name], make, self) for name, make in self.makers.items()
            }
            self.references = {name: overrides.references(each, self) for name, each in self.references.items()}

    @cached_property
    def rankers(self) -> dict[str, Ranker]:
        """The functions that number the values of fields; they may count rows of other record types."""
        return rankers(self)

    def phrase_maker(self, field: Field, phrase: Phrase) -> Maker:
        """Return the maker of a phrase with its missing share."""
        return phrase_maker(field, phrase, self)

    def batch(self, rows: Rows) -> Batch:
        """Return some rows at the first attempt, whether they meet the conditions or not."""
        return Batch(self, rows)

    def resolved(self, rows: Rows) -> Resolved:
        """Return some rows, each at the first attempt at which every `always` condition holds."""
        return Resolved(self, rows)


def _restrictions(record: Record) -> dict[tuple[str, str, str], tuple[tuple[str, Restriction], ...]]:
    """Return the remaining rows of the lists behind kinds: by list, by the person or place, and by field for its
    own.
    """
    found: dict[tuple[str, str, str], tuple[tuple[str, Restriction], ...]] = {}
    for field in record.fields:
        for phrase in field.phrases:
            if not isinstance(phrase.head, KindOf) or phrase.narrowed is None:
                continue
            if (listed := KINDS[phrase.head.name].listed) is not None:
                for owner in ("", field.name):
                    key = (listed[0], phrase.head.about, owner)
                    found[key] = (*found.get(key, ()), (listed[1], phrase.narrowed))
    return found
