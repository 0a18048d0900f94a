"""Records inside records: a field for each, in front of the fields in it."""

from __future__ import annotations

from yurt.core.drafting.draft import FieldDraft
from yurt.core.drafting.finding.shares import percent
from yurt.core.drafting.samples.column import Column
from yurt.core.drafting.samples.reading import Sample


def nest(sample: Sample, fields: list[FieldDraft]) -> None:
    """Put a field before those of each nested record."""
    for path in sample.nested:
        name = path
        if all(each.name != name for each in fields):
            first = next((at for at, each in enumerate(fields) if each.name.startswith(name + ".")), None)
            if first is None:
                continue
            draft = FieldDraft(name, path, nested=True, found="a record inside")
            column = sample.columns.get(path)
            if column is not None and 0 < column.count < column.rows:
                draft.clauses.append(f"missing {percent(1 - column.count / column.rows)}")
                _without_missing(sample, fields, name, column)
            fields.insert(first, draft)


def _without_missing(sample: Sample, fields: list[FieldDraft], name: str, around: Column) -> None:
    """Take the rows without the nested record away from the missing values inside it."""
    for each in fields:
        if each.name.startswith(name + "."):
            column = sample.by_name.get(each.name)
            inside = 1 - column.count / around.count if column is not None else 0.0
            each.clauses = [one for one in each.clauses if not one.startswith("missing")]
            each.present_if = ""
            if inside > 0:
                each.clauses.append(f"missing {percent(inside)}")
