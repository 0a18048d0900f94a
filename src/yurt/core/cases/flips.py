"""Where a comparison over a function of one field changes its truth: `age(born) >= 14` on a birthday and the day after.

So does one whose sides are never equal: `beds > 10.5` for whole numbers, `beds * 2 <= 61`. The neighbouring values of
the field on both sides of the change are the edges of the comparison.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from yurt.core.base.arrays import Values, strings
from yurt.core.base.data_classes import replace
from yurt.core.base.types import BOOLEAN
from yurt.core.cases.factor_cells import Grid
from yurt.core.cases.factor_reads import names_of
from yurt.core.cases.subject import Subject
from yurt.core.columns.column import Column
from yurt.core.columns.evaluate import evaluate
from yurt.core.columns.faults import RowFault
from yurt.core.model import Field, Matching, Phrase, Ranged
from yurt.core.model.expressions import Binary, Call, Draw, Expression, Member, Name, walk
from yurt.core.model.functions import OF_SIBLINGS
from yurt.core.patterns.mutate import of_length
from yurt.core.planning.bounds import bounds, steps

# Ranges with more values are examined at so many places, and between two of them by halves.
MOST = 50_000
# The lengths of texts that are examined.
MOST_LENGTHS = 300


def flips(atom: Binary, subject: Subject) -> Iterator[tuple[Field, int | str, int | str]]:
    """Yield the field with its values for which a comparison holds and does not, side by side: at most one pair for
    each direction.
    """
    field = _only_field(atom, subject)
    plain = isinstance(atom.left, Name) or isinstance(atom.right, Name)
    called = any(isinstance(each, Call) for each in walk(atom))
    if field is not None and isinstance(field.head, Matching):
        yield from _by_length(atom, field, field.head, subject) if called else ()
        return
    ends = bounds(field.head, subject.today) if field is not None and isinstance(field.head, Ranged) else None
    if field is None or ends is None or not isinstance(field.head, Ranged):
        return
    step, low = steps(field.head), ends[0]
    count = (ends[1] - low) // step + 1
    places = np.unique(np.linspace(0, count - 1, min(count, MOST)).astype(np.int64))
    for rising in (True, False):
        true = _truth(atom, field, low + step * places, subject)
        if true is None:
            return
        at = np.flatnonzero((true[1:] & ~true[:-1]) if rising else (~true[1:] & true[:-1]))
        if len(at):
            below, above = int(places[at[0]]), int(places[at[0] + 1])
            while above - below > 1:
                middle = (below + above) // 2
                here = _truth(atom, field, np.array([low + step * middle]), subject)
                if here is None:
                    return
                below, above = (below, middle) if bool(here[0]) == rising else (middle, above)
            pair = (low + step * above, low + step * below)
            if plain and not called:
                # Equal values are the edge, as between two fields.
                same = _truth(replace(atom, operator="=="), field, np.array(pair), subject)
                if same is None or same.any():
                    return
            yield (field, *pair) if rising else (field, pair[1], pair[0])


def _by_length(atom: Binary, field: Field, head: Matching, subject: Subject) -> Iterator[tuple[Field, str, str]]:
    """Yield texts of neighbouring lengths on both sides of a change."""
    low, high = head.pattern.lengths
    most = min(high if high is not None else low + MOST_LENGTHS, low + MOST_LENGTHS)
    texts = [text for size in range(low, most + 1) if (text := of_length(head.pattern, size)) is not None]
    true = _truth(atom, field, strings(texts), subject) if len(texts) > 1 else None
    if true is not None:
        for rising in (True, False):
            at = np.flatnonzero((true[1:] & ~true[:-1]) if rising else (~true[1:] & true[:-1]))
            if len(at):
                pair = texts[at[0]], texts[at[0] + 1]
                yield (field, pair[1], pair[0]) if rising else (field, *pair)


def _only_field(atom: Binary, subject: Subject) -> Field | None:
    """Return the field that a comparison is over, if it reads nothing else."""
    nodes = list(walk(atom))
    if any(isinstance(each, Member | Draw) for each in nodes):
        return None
    if any(isinstance(each, Call) and each.function in OF_SIBLINGS for each in nodes):
        return None
    names = names_of([atom], subject) - {"today", "now"}
    field = subject.record.by_name.get(next(iter(names))) if len(names) == 1 else None
    if field is None or field.parent or field.unique or not isinstance(field.body, Phrase):
        return None
    plain = field.body.days is None and field.body.narrowed is None and field.present_if is None
    return field if plain else None


def _truth(atom: Expression, field: Field, values: Values, subject: Subject) -> NDArray[np.bool_] | None:
    grid = Grid({field.name: Column(subject.type(field.name), values)}, len(values), subject)
    try:
        found = evaluate(atom, grid).spread(len(values))
    except RowFault:
        return None
    return np.asarray(found.values) if found.type == BOOLEAN and found.nulls is None else None
