"""Writes a draft as the text of a schema, as a person would: short lines in columns, comments where they tell."""

from __future__ import annotations

from collections.abc import Iterator

from yurt.core.drafting.draft import Draft, FieldDraft, ListDraft, RecordDraft
from yurt.core.drafting.quoting import cell, line_value, quoted

# The longest name whose lines still stand in one column, and the column of comments.
WIDEST, COMMENTS = 16, 72


def text_of(draft: Draft) -> str:
    """Return the schema."""
    return "\n".join(_lines(draft)) + "\n"


def _lines(draft: Draft) -> Iterator[str]:
    yield "yurt: 1"
    if draft.title:
        yield f"title: {line_value(draft.title)}"
    if draft.locale:
        yield f"locale: {draft.locale}"
    if draft.today:
        yield f"today: {draft.today}"
    yield from (f"# {each}" for each in draft.notes)
    if draft.lists:
        yield "value-lists:"
        for each in draft.lists:
            yield from _list(each)
    if draft.output:
        yield "output:"
        for form, settings in draft.output.items():
            yield f"  {form}:"
            for name, value in settings.items():
                if isinstance(value, dict):
                    yield f"    {name}:"
                    yield from (f"      {inner}: {own}" for inner, own in value.items())
                else:
                    yield f"    {name}: {value}"
    yield "records:"
    for record in draft.records:
        yield from _record(record)


def _list(draft: ListDraft) -> Iterator[str]:
    yield f"  {draft.name}:"
    if draft.weights:
        yield "    weight: share"
        yield "    rows:"
    space = " " * (6 if draft.weights else 4)
    if draft.columns == ("value",):
        yield from (f"{space}- {cell(row[0], not draft.texts[0])}" for row in draft.rows)
        return
    widths = [max(len(cell(row[at], not draft.texts[at])) for row in draft.rows) for at in range(len(draft.columns))]
    for number, row in enumerate(draft.rows):
        cells = [
            f"{name}: {cell(value, not text)}, ".ljust(len(name) + width + 4)
            for name, value, text, width in zip(draft.columns, row, draft.texts, widths, strict=True)
        ]
        cells += [f"share: {draft.weights[number]}"] if draft.weights else []
        yield space + "- {" + "".join(cells).rstrip().rstrip(",") + "}"


def _record(record: RecordDraft) -> Iterator[str]:
    yield f"  {record.name}:"
    yield from (f"    # {each}" for each in record.notes)
    yield f"    count: {record.count}"
    if record.key:
        yield f"    key: {record.key}"
    if len(record.unique) == 1:
        yield f"    unique: {', '.join(record.unique[0])}"
    elif record.unique:
        yield "    unique:"
        yield from (f"      - {', '.join(each)}" for each in record.unique)
    yield "    fields:"
    yield from _fields(record.fields, "", 6)
    if record.always:
        yield "    always:"
        yield from (f"      - {line_value(each)}" for each in record.always)


def _fields(fields: list[FieldDraft], parent: str, indent: int) -> Iterator[str]:
    own = [each for each in fields if each.name.rpartition(".")[0] == parent]
    names = [len(_own_name(each)) for each in own if len(_own_name(each)) <= WIDEST]
    width = max(names, default=0) + 2
    at = 0
    while at < len(own):
        each = own[at]
        group = list(_same_condition(own[at:]))
        if each.present_if and len(group) > 1:
            yield f"{' ' * indent}{line_value(f'if {each.present_if}')}:"
            for one in group:
                yield from _field(one, fields, indent + 2, width - 2, grouped=True)
        else:
            group = group[:1]
            yield from _field(each, fields, indent, width)
        at += len(group)


def _same_condition(fields: list[FieldDraft]) -> Iterator[FieldDraft]:
    for each in fields:
        if each.present_if != fields[0].present_if:
            return
        yield each


def _own_name(draft: FieldDraft) -> str:
    return draft.name.rpartition(".")[2]


def _field(
    draft: FieldDraft, fields: list[FieldDraft], indent: int, width: int, grouped: bool = False
) -> Iterator[str]:
    space, name = " " * indent, _own_name(draft)
    clauses = list(draft.clauses)
    if draft.title.rpartition(".")[2] != name and draft.title != draft.name:
        clauses.append(f"named {quoted(draft.title)}")
    condition = draft.present_if if draft.present_if and not grouped else ""
    if draft.nested or draft.table is not None or draft.accept or draft.reject:
        yield f"{space}{name}:"
        yield from _long(draft, fields, indent + 2, clauses, condition)
        yield from (f"{space}# {each}" for each in draft.notes)
        return
    clauses += [f"present if {condition}"] if condition else []
    text = f"{space}{f'{name}:':{width}}{' ' * (len(name) + 1 >= width)}{line_value(', '.join([draft.head, *clauses]))}"
    notes = list(draft.notes)
    if notes and len(notes[0]) < 60 and len(text) <= COMMENTS:
        yield f"{text}  # {notes.pop(0)}"
    else:
        yield text
    yield from (f"{space}# {each}" for each in notes)


def _long(
    draft: FieldDraft, fields: list[FieldDraft], indent: int, clauses: list[str], condition: str
) -> Iterator[str]:
    space = " " * indent
    if draft.table is not None:
        word, rows = draft.table
        yield f"{space}{word}:"
        width = max(len(key) for key, _ in rows) + 2
        yield from (f"{space}  {f'{line_value(key)}:':{width}}{line_value(line)}" for key, line in rows)
    elif draft.nested:
        if draft.list_size:
            yield f"{space}list: {draft.list_size}"
        yield f"{space}nested:"
        yield from _fields(fields, draft.name, indent + 2)
    else:
        yield f"{space}is: {line_value(', '.join([draft.head, *clauses]))}"
        clauses = []
        for word, values in (("accept", draft.accept), ("reject", draft.reject)):
            if values:
                yield f"{space}{word}:"
                yield from (f"{space}  {cell(value, False)}: {line_value(why)}" for value, why in values.items())
    for each in clauses:
        word, _, rest = each.partition(" ")
        yield f"{space}{word}: {line_value(rest or 'yes')}"
    if condition:
        yield f"{space}present if: {line_value(condition)}"
