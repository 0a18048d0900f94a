"""Metadata for tabular data (https://www.w3.org/TR/tabular-metadata/): what the CSV files of a schema may hold."""

from __future__ import annotations

import json
import re
from datetime import date, datetime, time
from decimal import Decimal

from yurt.core.base.json_object import JsonObject
from yurt.core.formats import FORMATS
from yurt.core.formats.common.settings import complete
from yurt.core.formats.common.values import GROUP_CHARS
from yurt.core.formats.csv.dialect import dialect_of
from yurt.core.kinds.contract import lengths
from yurt.core.model import ItemValue, Record
from yurt.core.model.constants import Constant
from yurt.core.standards.common.document import Asked, Document, Written
from yurt.core.standards.common.expressions import ecma
from yurt.core.standards.common.facts import Allowed, FactsOf, Leaf, Unsaid, leaves

TYPES = {
    "integer": "integer", "decimal": "decimal", "real": "double", "boolean": "boolean", "text": "string",
    "date": "date", "time": "time", "datetime": "datetime", "zoned": "datetime", "duration": "duration",
    "days": "duration", "period": "duration", "list": "json",
}  # fmt: skip
# The names of encodings in the registry of the IANA.
MARKED = {"utf-8-mark": "utf-8"}


class TableOf:
    """Writes the description of the table of one record type."""

    def __init__(self, asked: Asked, record: Record) -> None:
        self.asked, self.record = asked, record
        self.chosen = complete("csv", FORMATS["csv"].settings, asked.output.chosen("csv", record.name))
        self.collected = FactsOf(asked.schema, record)
        self.unsaid: list[Unsaid] = []

    def table(self) -> JsonObject:
        """Return the description of the table."""
        found = leaves(self.collected.all(), self.record)
        titles = {".".join(each.path): each.title for each in found}
        schema: JsonObject = {"columns": [self._column(each) for each in found]}
        key = self.record.key
        if key is not None and key.name in titles:
            schema["primaryKey"] = _name(titles[key.name])
        links = [self._link(each) for each in found if each.facts.referred]
        if any(links):
            schema["foreignKeys"] = [each for each in links if each is not None]
        for each in found:
            if each.facts.field.never_repeats and each.facts.field is not key:
                self._tell(each, "that its values do not repeat")
        for group in self.record.unique:
            self.unsaid.append(Unsaid(self.record.name, "", f"that {', '.join(group)} do not repeat together"))
        if self.record.count.per:
            many = f"{self.record.count.low} to {self.record.count.high}"
            self.unsaid.append(Unsaid(self.record.name, "", f"that each {self.record.count.per} has {many}"))
        return {"url": f"{self.record.name}.csv", "dialect": self._dialect(), "tableSchema": schema}

    def _tell(self, leaf: Leaf, rule: str) -> None:
        self.unsaid.append(Unsaid(self.record.name, ".".join(leaf.path), rule))

    def _dialect(self) -> JsonObject:
        dialect = dialect_of(self.chosen)
        return {
            "delimiter": dialect.delimiter, "quoteChar": dialect.quote, "doubleQuote": dialect.doubled,
            "header": dialect.header, "headerRowCount": int(dialect.header), "lineTerminators": [dialect.end],
            "encoding": MARKED.get(self.chosen["encoding"], self.chosen["encoding"]),
        }  # fmt: skip

    def _link(self, leaf: Leaf) -> JsonObject | None:
        other = self.asked.schema.records[leaf.facts.referred]
        if other.name not in self.asked.names or other.key is None or other.key.helper:
            self._tell(leaf, f"that it is the key of a {other.name}")
            return None
        key = other.column(other.key.name)
        return {
            "columnReference": _name(leaf.title),
            "reference": {"resource": f"{other.name}.csv", "columnReference": _name(key)},
        }

    def _column(self, leaf: Leaf) -> JsonObject:
        found: JsonObject = {
            "name": _name(leaf.title), "titles": leaf.title, "datatype": self._type(leaf),
            "null": [self.chosen["null"]] if leaf.missing else [],
        }  # fmt: skip
        if not leaf.missing:
            found["required"] = True
        return found

    def _type(self, leaf: Leaf) -> JsonObject:
        lines = leaf.facts.lines
        base = TYPES.get("zoned" if leaf.facts.zoned else leaf.facts.type.name, "string")
        if shown := leaf.facts.field.shown:
            numbers = self._numbers(leaf)
            if base == "boolean":
                return {"base": "boolean", "format": re.sub(r"\s*\|\s*", "|", shown.pattern)}
            if numbers is None:
                self._tell(leaf, f"its form, as {shown.pattern}")
                return {"base": "string"}
            # Programs read the ends in the form of the column.
            mark = self.chosen["decimal-char"]
            return {"base": base, **{name: end.replace(".", mark) for name, end in self._ends(leaf).items()}, **numbers}
        if base == "boolean":
            return {"base": "boolean", "format": "true|false"}
        if base == "json":
            if any(each.most or each.items is not None for each in lines):
                self._tell(leaf, "what the elements of its list are, and how many")
            return {"base": "json"}
        found: JsonObject = {"base": base, **self._ends(leaf)}
        if base == "string":
            found |= self._form(leaf, lines)
        elif leaf.facts.listed is not None:
            self._tell(leaf, f"its list: {' | '.join(map(_text, leaf.facts.listed[:6]))}")
        return found

    def _numbers(self, leaf: Leaf) -> JsonObject | None:
        """Return the form of a number that the settings of the format give to all of them; None for another form."""
        plain = self.asked.output.schema.records[self.record.name].by_name[".".join(leaf.path)].shown is None
        if not leaf.facts.type.numeric or not plain:
            return None
        group = GROUP_CHARS[self.chosen["group-char"]]
        marks = {"decimalChar": self.chosen["decimal-char"]} | ({"groupChar": group} if group else {})
        return {"format": marks}

    def _ends(self, leaf: Leaf) -> dict[str, str]:
        ends = {"minimum": leaf.facts.low, "maximum": leaf.facts.high}
        told = {word: _text(end) for word, end in ends.items() if end is not None}
        if told and (leaf.facts.zoned or TYPES[leaf.facts.type.name] == "duration"):
            self._tell(leaf, f"its range {'..'.join(told.values())}")
            return {}
        if leaf.facts.type.name in ("time", "datetime") and not any(each.fine for each in leaf.facts.lines):
            self._tell(leaf, "that it has no parts of a second")
        for each in leaf.facts.lines:
            if each.step is not None and each.type.numeric and each.step != 1:
                self._tell(leaf, f"its steps of {each.step}")
        return told

    def _form(self, leaf: Leaf, lines: tuple[Allowed, ...]) -> JsonObject:
        """Return the pattern of a text, and how long it is; a list is a pattern as well."""
        if leaf.facts.listed is not None:
            values = (re.sub(r"([\\^$.*+?()\[\]{}|/])", r"\\\1", str(each)) for each in leaf.facts.listed)
            return {"format": f"^({'|'.join(values)})$"}
        patterns = [each.patterns for each in lines]
        if not all(patterns):
            return {}
        if any(len(each) > 1 for each in patterns):
            self._tell(leaf, "more than the first of its patterns")
        least = min(lengths(each)[0] for each in patterns)
        most = [lengths(each)[1] for each in patterns]
        longest = [each for each in most if each is not None]
        found: JsonObject = {"format": "|".join(dict.fromkeys(ecma(each[0]) for each in patterns))}
        found |= {"minLength": least} if least else {}
        return found | ({"maxLength": max(longest)} if len(longest) == len(most) else {})


def _name(title: str) -> str:
    """Return a name that may stand in a template of a URI."""
    return re.sub(r"[^A-Za-z0-9_.]", lambda found: "".join(f"%{each:02X}" for each in found[0].encode()), title)


def _text(value: ItemValue | Constant) -> str:
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, Decimal):
        return f"{value:f}"
    return value.isoformat() if isinstance(value, datetime | date | time) else str(value)


def _write(asked: Asked) -> Written:
    writers = [TableOf(asked, asked.schema.records[name]) for name in asked.names]
    tables = [each.table() for each in writers]
    unsaid = [one for each in writers for one in (*each.collected.unsaid, *each.unsaid)]
    whole: JsonObject = {"@context": "http://www.w3.org/ns/csvw"}
    if unsaid:
        whole["dc:description"] = "Not stated here: " + "; ".join(map(str, dict.fromkeys(unsaid)))
    whole["tables"] = tables
    return Written(json.dumps(whole, indent=2, ensure_ascii=False) + "\n", tuple(dict.fromkeys(unsaid)))


DOCUMENT = Document(
    "csvw", "-metadata.json", "the metadata of the W3C for tabular data, beside CSV files", _write, form="csv"
)
