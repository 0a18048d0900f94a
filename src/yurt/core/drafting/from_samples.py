"""From samples of several files to a whole draft."""

from __future__ import annotations

from yurt.core.drafting.draft import Draft, RecordDraft
from yurt.core.drafting.finding.kinds import locales_of
from yurt.core.drafting.finding.references import with_references
from yurt.core.drafting.records import RecordDrafter
from yurt.core.drafting.samples.column import Column
from yurt.core.drafting.samples.reading import Sample
from yurt.core.drafting.samples.rows import Rows
from yurt.core.drafting.settings import Settings


def draft_of(samples: list[Sample], settings: Settings) -> Draft:
    """Return the draft of the record types of some samples."""
    tables = {each.record: Rows(each) for each in samples}
    with_references(tables)
    draft = Draft(locale=settings.locale)
    used: set[str] = set()
    named: list[tuple[str, Column]] = []
    for rows in tables.values():
        drafter = RecordDrafter(rows, settings, used)
        draft.records.append(drafter.draft())
        draft.lists += drafter.lists
        draft.withheld += drafter.withheld
        by_name = rows.sample.by_name
        named += [(kind, by_name[name]) for name, kind in drafter.kinds.items() if name in by_name]
        if not draft.locale:
            draft.locale = locales_of((kind, by_name[name]) for name, kind in drafter.kinds.items() if name in by_name)
    draft.records = _parents_first(draft, tables)
    return draft


def _parents_first(draft: Draft, tables: dict[str, Rows]) -> list[RecordDraft]:
    """Return the record types with those that others refer to first; otherwise they keep their order."""
    order: list[str] = []

    def visit(name: str, path: tuple[str, ...]) -> None:
        if name in order or name in path:
            return
        for each in tables[name].references.values():
            visit(each.record, (*path, name))
        order.append(name)

    for each in draft.records:
        visit(each.name, ())
    return sorted(draft.records, key=lambda each: order.index(each.name))
