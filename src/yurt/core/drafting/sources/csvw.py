"""The W3C's metadata for tabular data (https://www.w3.org/TR/tabular-metadata/): tables, columns, keys, references."""

from __future__ import annotations

import re
from decimal import Decimal, InvalidOperation

from yurt.core.base.errors import YurtError
from yurt.core.drafting.draft import Draft, FieldDraft, RecordDraft
from yurt.core.drafting.sources import lines
from yurt.core.drafting.sources.json_values import Json, document
from yurt.core.drafting.sources.json_values_of import kind_by_name, plain_kind
from yurt.core.drafting.sources.lines import Unwritable
from yurt.core.drafting.sources.names import record_name
from yurt.core.drafting.sources.source import Asked, Source
from yurt.core.drafting.sources.xml_types import INTEGERS, TEXTS, WHOLE
from yurt.core.language.over_columns import field_names

COUNT, MISSING = "100", "missing 10%"
CONTEXT = "http://www.w3.org/ns/csvw"
NUMBERS = ("number", "decimal", "double", "float")
SHORT = {"datetime": "dateTime", "any": "string", "anyAtomicType": "string", "binary": "string", "html": "string",
         "json": "string", "xml": "string"}  # fmt: skip


def _read(data: bytes, asked: Asked) -> Draft:
    whole = document(data, asked.name)
    tables = whole.get("tables") if isinstance(whole, dict) and "tables" in whole else [whole]
    if not isinstance(tables, list) or not all(isinstance(each, dict) for each in tables):
        raise YurtError(f"{asked.name}: `tables` is no list of tables")
    names = {str(each.get("url")): _name(each, asked) for each in tables}
    draft = Draft()
    found = {}
    for each in tables:
        found[str(each.get("url"))] = _Table(each, names, asked)
    for url in _parents_first(found):
        draft.records.append(found[url].record())
    title = whole.get("dc:title") if isinstance(whole, dict) else None
    draft.title = title if isinstance(title, str) else ""
    return asked.finish(draft)


def _name(table: Json, asked: Asked) -> str:
    url = str(table.get("url") or "")
    own = re.sub(r"\.\w+$", "", url.rpartition("/")[2])
    return record_name(own) if own else asked.record


def _parents_first(found: dict[str, _Table]) -> list[str]:
    order: list[str] = []

    def visit(url: str, path: tuple[str, ...]) -> None:
        if url in order or url in path or url not in found:
            return
        for other in found[url].targets:
            visit(other, (*path, url))
        order.append(url)

    for each in found:
        visit(each, ())
    return order


class _Table:
    """One table."""

    def __init__(self, table: Json, names: dict[str, str], asked: Asked) -> None:
        self.asked, self.names = asked, names
        self.name = names[str(table.get("url"))]
        schema = table.get("tableSchema")
        if isinstance(schema, str):
            schema = document(asked.opener(schema), schema)
        self.schema: Json = schema if isinstance(schema, dict) else {}
        self.columns = [
            each for each in self.schema.get("columns") or () if isinstance(each, dict) and not each.get("virtual")
        ]
        if not self.columns:
            raise YurtError(f"{asked.name}: `{self.name}` has no columns")
        self.references: dict[str, str] = {}
        self.targets: list[str] = []
        for each in self.schema.get("foreignKeys") or ():
            self._reference(each)

    def _reference(self, told: Json) -> None:
        columns, target = _listed(told.get("columnReference")), told.get("reference") or {}
        url = str(target.get("resource") or "")
        if len(columns) != 1 or url not in self.names:
            self.asked.leave_out(
                "foreignKeys", f"{self.name}.{', '.join(columns)}", "a reference of several columns, or elsewhere"
            )
            return
        self.references[columns[0]] = self.names[url]
        self.targets.append(url)

    def record(self) -> RecordDraft:
        record = RecordDraft(self.name, COUNT)
        titles = [_title(each) for each in self.columns]
        names = field_names([each.get("name") or title for each, title in zip(self.columns, titles, strict=True)])
        key = _listed(self.schema.get("primaryKey"))
        for column, title in zip(self.columns, titles, strict=True):
            own = column.get("name") or title
            draft = FieldDraft(names[own], title, found="a column of the table")
            place = f"{self.name}.{own}"
            if own in self.references:
                draft.head = f"ref {self.references[own]}"
            else:
                draft.head, draft.clauses = self._line(column, own, place)
            if not column.get("required"):
                draft.clauses.append(MISSING)
            if key == [own] and not draft.head.startswith("sequence"):
                draft.clauses.append("unique")
            record.fields.append(draft)
        if len(key) > 1:
            record.unique.append(tuple(names[each] for each in key if each in names))
        return record

    def _line(self, column: Json, name: str, place: str) -> tuple[str, list[str]]:
        told = column.get("datatype", "string")
        kind: Json = told if isinstance(told, dict) else {"base": told}
        base = SHORT.get(str(kind.get("base", "string")), str(kind.get("base", "string")))
        if column.get("separator"):
            self.asked.leave_out("separator", place, "several values in one cell")
        try:
            return self._of(base, kind, name)
        except (Unwritable, InvalidOperation) as fault:
            self.asked.leave_out("datatype", place, str(fault) or "a number that cannot be read")
            return "text 0.. of any", []

    def _of(self, base: str, kind: Json, name: str) -> tuple[str, list[str]]:
        low, high = kind.get("minimum", kind.get("minInclusive")), kind.get("maximum", kind.get("maxInclusive"))
        form = kind.get("format")
        if any(word in kind for word in ("minExclusive", "maxExclusive")):
            raise Unwritable("an end that is not included")
        if base in INTEGERS:
            least, most = INTEGERS[base]
            bottom = Decimal(str(low)) if low is not None else Decimal(least) if least is not None else None
            top = Decimal(str(high)) if high is not None else Decimal(most) if most is not None else None
            return lines.integer(bottom, top), _form(form)
        if base in NUMBERS:
            first, last = (Decimal(str(each)) if each is not None else None for each in (low, high))
            return lines.decimal(first, last), _form(form)
        if base == "boolean":
            yes, _, no = str(form).partition("|") if form else ("", "", "")
            return "boolean", [f'as "{yes} | {no}"'] if form else []
        if base in WHOLE:
            word, _, rest = WHOLE[base].partition(" .. ")
            word = word.removesuffix(" ..")
            if base == "duration" and (low or high):
                raise Unwritable("a range of durations")
            return f"{word} {low or ''}..{high or ''}" + (f" {rest}" if rest else ""), _date_form(form)
        if base in TEXTS or base == "string":
            length = kind.get("length")
            shortest = int(length if length is not None else kind.get("minLength", 0))
            told = length if length is not None else kind.get("maxLength")
            longest = int(told) if told is not None else None
            found = lines.text(
                shortest,
                longest,
                [str(form).removeprefix("^").removesuffix("$")] if form else [],
                whole=True,
            )
            usual = (
                kind_by_name(name) or plain_kind(shortest, longest)
                if not form and (longest is None or longest >= 12)
                else None
            )
            return found.head, [f"usually as {usual}"] if usual else list(found.clauses)
        raise Unwritable(f"no type holds values of `{base}`")


def _form(form: Json) -> list[str]:
    if form is None:
        return []
    raise Unwritable("a format of numbers")


FORMS = {"yyyy": "%Y", "MM": "%m", "dd": "%d", "HH": "%H", "mm": "%M", "ss": "%S"}


def _date_form(form: Json) -> list[str]:
    """Return the clause for a date pattern of Unicode's TR35, as far as it has two digits for each part."""
    if form is None:
        return []
    written = re.sub("|".join(FORMS), lambda found: FORMS[found[0]], str(form))
    if re.search(r"(?<!%)[A-Za-z]", written.replace("T", "")):
        raise Unwritable(f"the date pattern `{form}`")
    return [] if written in ("%Y-%m-%d", "%H:%M:%S") else [f'as "{written}"']


def _title(column: Json) -> str:
    titles = column.get("titles")
    if isinstance(titles, dict):
        titles = next(iter(titles.values()), None)
    if isinstance(titles, list):
        titles = titles[0] if titles else None
    return str(titles or column.get("name") or "column")


def _listed(value: Json) -> list[str]:
    return [value] if isinstance(value, str) else [str(each) for each in value or ()]


def _matches(suffix: str, head: bytes) -> bool:
    return suffix == ".json" and CONTEXT.encode() in head


SOURCE = Source("CSVW", "the W3C's metadata for tables", _matches, _read)
