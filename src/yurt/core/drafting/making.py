"""The whole way from samples to a schema: draft, fit, proof of privacy."""

from __future__ import annotations

import re
from collections.abc import Sequence
from datetime import date

from yurt.core.base.data_classes import dataclass
from yurt.core.base.errors import YurtError
from yurt.core.drafting.draft import Draft, Withheld
from yurt.core.drafting.fitting import Fit, fitted, readable
from yurt.core.drafting.from_samples import draft_of
from yurt.core.drafting.merging import merged, with_stated_ranges
from yurt.core.drafting.privacy import Leak, leaks
from yurt.core.drafting.samples.reading import Sample
from yurt.core.drafting.settings import Settings

ROUNDS = 8


@dataclass
class Made:
    """A draft with its schema, and how the samples fit it."""

    draft: Draft
    fit: Fit

    @property
    def text(self) -> str:
        """The text of the schema."""
        return self.fit.text


def made_of(
    samples: list[Sample], settings: Settings, today: date, structures: Sequence[Draft] = ()
) -> Made:  # fmt: skip
    """Return the draft of some samples and structures; none of the rare values of samples stands in it.

    Structures say what is allowed, samples what is usual. Raises YurtError for samples without rows, and if a rare
    value could not be kept out.
    """
    empty = [each.name for each in samples if not each.total]
    if empty:
        raise YurtError(f"{empty[0]}: there are no rows, so nothing can be found")
    with_stated_ranges(samples, structures)
    draft = merged(structures, draft_of(samples, settings) if samples else Draft(locale=settings.locale))
    if settings.count is not None:
        for record in draft.records:
            record.count = str(settings.count) if " per " not in record.count else record.count
    fit = fitted(draft, samples, today)
    for _ in range(ROUNDS):
        found = leaks(fit.text, samples, settings.least)
        if not found:
            return Made(draft, fit)
        if not sum(_kept_out(draft, each) for each in found):
            break
        fit = fitted(draft, samples, today)
    readable(draft)
    first = found[0]
    raise YurtError(f"{first.record}.{first.field}: a value of few rows would stand in the draft, and was not kept out")


def _kept_out(draft: Draft, leak: Leak) -> bool:
    """Widen the lines that contain a value; return whether there were any."""
    changed = False
    for record in draft.records:
        for each in record.fields:
            lines = [each.head, *each.clauses, *(line for _, line in (each.table[1] if each.table else []))]
            if any(re.search(rf"(?<!\w){re.escape(leak.value)}(?!\w)", line) for line in lines) and each.wider():
                changed = True
                draft.withheld.append(Withheld(record.name, each.name, "a value of few rows in its pattern or list"))
    return changed
