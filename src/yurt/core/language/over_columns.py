"""Lines about the columns of an existing file: each column becomes a field, unless a line takes its place.

In the line of a column, its own name means the value in the file; everywhere else it means the result of the line.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping

from yurt.core.base.data_classes import replace
from yurt.core.base.nearest import did_you_mean
from yurt.core.base.types import TEXT, Type
from yurt.core.language.scopes import mapped
from yurt.core.model import Derived, Field, FromColumn, Phrase, Removed, Table, Treatment
from yurt.core.model.expressions import Call, Expression, Literal, Name
from yurt.core.model.functions import FUNCTIONS
from yurt.core.model.words import NOW_NAMES, RESERVED
from yurt.core.source.diagnostics import Findings

# The columns of a file: their data types by title.
Columns = Mapping[str, Type]
# The name of the helper field with the values of a column that a line replaces.
ORIGINAL = "{} in the file"
WRITTEN = "{} as written"
PLAIN = re.compile(r"[^\W\d]\w*")


def field_names(titles: list[str]) -> dict[str, str]:
    """Return the name of each column's field: its title, with underscores in place of what a name cannot contain."""
    found: dict[str, str] = {}
    used: set[str] = set()
    for number, title in enumerate(titles, 1):
        name = title if PLAIN.fullmatch(title) else re.sub(r"\W+", "_", title).strip("_")
        if not PLAIN.fullmatch(name):
            name = f"column_{number}"
        if name in RESERVED or name in NOW_NAMES:
            name += "_"
        while name in used:
            name += "_"
        used.add(name)
        found[title] = name
    return found


def over_columns(lines: list[Field], columns: Columns, findings: Findings) -> list[Field]:
    """Return the fields of lines about the columns of a file, with the columns that have no line.

    Columns keep their order; new fields come after them.
    """
    names = field_names(list(columns))
    by_name = {each.name: each for each in lines}
    found: list[Field] = []
    for title, kind in columns.items():
        name = names[title]
        if (line := by_name.get(name)) is not None:
            found += _in_place(line, title, kind)
        else:
            named = title if title != name else None
            found.append(Field(name, Phrase(FromColumn(title, kind)), named=named, optional=True))
    new = [each for each in lines if each.name not in names.values()]
    for at, each in enumerate(new):
        if treatment := next((one.head for one in each.phrases if isinstance(one.head, Treatment)), None):
            hint = did_you_mean(each.name, list(names.values()))
            expected = "the name of a column: " + ", ".join(list(names.values())[:12])
            message = f"`{treatment.word}` treats a column, and the file has no `{each.name}`"
            findings.error(message, each.span, expected, hint)
            new[at] = replace(each, body=Phrase(Derived(Literal(None, each.span)), span=each.span))
    return _as_written([_with_types(each, columns, findings) for each in (*found, *new)])


def _as_written(fields: list[Field]) -> list[Field]:
    """Return fields whose functions of texts get what is written: a column may have dates only this month."""
    typed = {each.name: each.head for each in fields
             if isinstance(each.head, FromColumn) and each.head.type not in (None, TEXT)}  # fmt: skip
    used: dict[str, str] = {}

    def text(node: Expression, wanted: str) -> Expression:
        head = typed.get(node.name) if isinstance(node, Name) else None
        if head is None or wanted != "text" or not isinstance(node, Name):
            return node
        return Name(used.setdefault(node.name, WRITTEN.format(node.name)), node.span)

    def change(node: Expression) -> Expression:
        if not isinstance(node, Call) or node.function not in FUNCTIONS:
            return node
        takes = FUNCTIONS[node.function].takes
        wanted = [takes[min(at, len(takes) - 1)] if takes else "" for at in range(len(node.arguments))]
        done = tuple(text(each, one) for each, one in zip(node.arguments, wanted, strict=True))
        return replace(node, arguments=done) if done != node.arguments else node

    changed = [mapped(each, change) for each in fields]
    helpers = [
        Field(written, Phrase(FromColumn(typed[name].title, TEXT)), helper=True, optional=True)
        for name, written in used.items()
    ]
    return [*helpers, *changed]


def _in_place(line: Field, title: str, kind: Type) -> list[Field]:
    """Return the field of a line that takes the place of a column, after the column itself, which lines may read."""
    named = line.named if line.named is not None else title if line.title != title else None
    treated = any(isinstance(each.head, Treatment) for each in line.phrases)
    removed = isinstance(line.head, Removed)
    if removed:
        # Other lines may still read it.
        return [Field(line.name, Phrase(FromColumn(title, kind), span=line.span), helper=True, span=line.span)]
    line = replace(line, named=named, optional=line.optional or treated)
    original = ORIGINAL.format(line.name)
    # A treatment sees what is written; an expression sees the value.
    column = Field(original, Phrase(FromColumn(title, TEXT if treated else kind)), helper=True, optional=True)

    def own(each: Expression) -> Expression:
        return Name(original, each.span) if isinstance(each, Name) and each.name == line.name else each

    body = mapped(line.body, own)
    if treated:
        body = _each_phrase(body, lambda phrase: _of_original(phrase, line.name, original))
    return [column, replace(line, body=body, present_if=mapped(line.present_if, own))]


def _of_original(phrase: Phrase, name: str, original: str) -> Phrase:
    head = phrase.head
    if not isinstance(head, Treatment):
        return phrase
    return replace(phrase, head=replace(head, original=Name(original, phrase.span), domain=head.domain or name))


def _each_phrase(body: Phrase | Table, change: Callable[[Phrase], Phrase]) -> Phrase | Table:
    if isinstance(body, Phrase):
        return change(body)
    return replace(body, rows=tuple((condition, change(phrase)) for condition, phrase in body.rows))


def _with_types(field: Field, columns: Columns, findings: Findings) -> Field:
    """Return a field whose `column "…"` has the type of that column."""

    def typed(phrase: Phrase) -> Phrase:
        head = phrase.head
        if not isinstance(head, FromColumn) or head.type is not None:
            return phrase
        if head.title in columns:
            return replace(phrase, head=replace(head, type=columns[head.title]))
        expected = ", ".join(list(columns)[:12])
        findings.error(
            f"the file has no column `{head.title}`", phrase.span, expected, did_you_mean(head.title, columns)
        )
        return replace(phrase, head=Derived(Literal(None, phrase.span)))

    return replace(field, body=_each_phrase(field.body, typed))
