"""The values of unique fields in cases, so that no two cases collide by chance."""

from __future__ import annotations

import numpy as np

from yurt.core.cases.case import Case, Const, Edge, Same, SameRow
from yurt.core.columns.column import Mask, Places
from yurt.core.engine.batch import Batch
from yurt.core.model import Record, Reference


def unique_groups(record: Record) -> list[tuple[str, ...]]:
    """Return the groups of fields whose combined values are unique: keys, unique fields, distinct references."""
    found: list[tuple[str, ...]] = [(each.name,) for each in record.shown if each.never_repeats]
    if record.key is not None:
        found.append((record.key.name,))
    parent = (record.parent_field.name,) if record.parent_field is not None else ()
    found += [
        (*parent, each.name) for each in record.shown
        if isinstance(each.head, Reference) and each.phrases[0].distinct
    ]  # fmt: skip
    found += [each for each in record.unique if each]
    alone = [each for each in found if all(record.list_around(name) is None for name in each)]
    return list(dict.fromkeys(alone))


class UniqueValues:
    """The values of unique fields in the records of cases."""

    def __init__(self, record: Record, cases: list[Case]) -> None:
        self.groups = unique_groups(record)
        self.cases = cases
        self.seen: dict[tuple[str, ...], set[tuple[str, ...]]] = {each: set() for each in self.groups}
        # Cases with a fixed value that another case has.
        self.twice: set[int] = set()

    def fresh(self, batch: Batch, places: Places) -> Mask:
        """Return the rows with values that no case has yet, or that repeat one on purpose; their values count from now
        on.
        """
        good = np.ones(len(places), dtype=np.bool_)
        taken: list[tuple[tuple[str, ...], list[tuple[str, ...] | None]]] = []
        for group in self.groups:
            texts = [batch.field(name).spread(len(places)).text(len(places)).to_pylist() for name in group]
            nulls = [batch.field(name).spread(len(places)).nulls for name in group]
            keys = [
                None if any(each is not None and bool(each[at]) for each in nulls) else key
                for at, key in enumerate(zip(*texts, strict=True))
            ]
            taken.append((group, keys))
        for at, case in enumerate(places.tolist()):
            changes = self.cases[case].changes
            repeating = {each.field for each in changes if isinstance(each, Same | SameRow)}
            fixed = {each.field for each in changes if isinstance(each, Const | Edge | Same)}
            own = [(group, keys[at]) for group, keys in taken if keys[at] is not None and not repeating & {*group}]
            clash = [group for group, key in own if key in self.seen[group]]
            if clash:
                good[at] = False
                self.twice |= {case} if any(fixed >= {*group} for group in clash) else set()
                continue
            for group, key in own:
                assert key is not None
                self.seen[group].add(key)
        return good
