"""XML Schema 1.0 (https://www.w3.org/TR/xmlschema-2/): what an XML file of a record type may hold."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import date, datetime, time
from decimal import Decimal
from xml.etree.ElementTree import Comment, Element, SubElement, indent, tostring

from yurt.core.base.errors import UsageFault
from yurt.core.formats import FORMATS
from yurt.core.formats.common.settings import complete
from yurt.core.model import ItemValue, Record
from yurt.core.model.constants import Constant
from yurt.core.standards.common.document import Asked, Document, Written
from yurt.core.standards.common.expressions import xsd
from yurt.core.standards.common.facts import Allowed, Facts, FactsOf, Unsaid
from yurt.core.text.display import words_like

SPACE = "http://www.w3.org/2001/XMLSchema"
PARTS = r"(\.\d{6})?"
CLOCK = r"([01]\d|2[0-3]):\d{2}:\d{2}" + PARTS
WHOLE = r"-?(0|[1-9]\d*)"
# The types, and the forms that their values have in our files; XML Schema has more.
TYPES = {
    "integer": ("xs:integer", WHOLE), "decimal": ("xs:decimal", rf"{WHOLE}(\.\d+)?"),
    "real": ("xs:double", rf"{WHOLE}(\.\d+)?([eE][\-+]?\d+)?"), "boolean": ("xs:boolean", "true|false"),
    "text": ("xs:string", ""), "date": ("xs:date", r"\d{4}-\d{2}-\d{2}"), "time": ("xs:time", CLOCK),
    "datetime": ("xs:dateTime", rf"\d{{4}}-\d{{2}}-\d{{2}}T{CLOCK}"),
    "zoned": ("xs:dateTime", rf"\d{{4}}-\d{{2}}-\d{{2}}T{CLOCK}(Z|[+\-]\d{{2}}:\d{{2}})"),
    **dict.fromkeys(("duration", "days", "period"), ("xs:duration", "")),
}  # fmt: skip


class XmlSchemaOf:
    """Writes the schema of one record type, for files with some settings of the format."""

    def __init__(self, asked: Asked, record: Record) -> None:
        chosen = complete("xml", FORMATS["xml"].settings, asked.output.chosen("xml", record.name))
        if chosen["children"] == "inside":
            raise UsageFault("xml-schema describes records without their children; leave out `children=inside`")
        self.record, self.chosen = record, chosen
        self.collected = FactsOf(asked.schema, record)
        self.attributes = chosen["values"] == "attributes"
        self.own = "r:" if chosen["namespace"] else ""
        self.unsaid: list[Unsaid] = []
        self.types = 0

    def schema(self) -> Element:
        """Return the whole schema."""
        facts = self.collected.all()
        root = self.root = Element("xs:schema", {"xmlns:xs": SPACE, "elementFormDefault": "qualified"})
        if namespace := self.chosen["namespace"]:
            root.attrib |= {"targetNamespace": namespace, "xmlns:r": namespace}
        own = self.own
        name = self.chosen["record-name"] or self.record.name
        outer = SubElement(root, "xs:element", {"name": self.chosen["root"]})
        inside = SubElement(SubElement(outer, "xs:complexType"), "xs:sequence")
        kind = f"{own}{self.record.name}"
        SubElement(inside, "xs:element", {"name": name, "type": kind, "minOccurs": "0", "maxOccurs": "unbounded"})
        self._unique(outer, facts, f"{own}{name}", own)
        self._complex(SubElement(root, "xs:complexType", {"name": self.record.name}), facts, top=True)
        if self.record.count.per:
            low, high = self.record.count.low, self.record.count.high
            self._tell("", f"that each {self.record.count.per} has {low} to {high}")
        told = [*self.collected.unsaid, *self.unsaid]
        if told:
            # Two hyphens would end the comment.
            text = "; ".join(map(str, told)).replace("--", "- -")
            root.insert(0, Comment(f" Not stated here: {text} "))
        return root

    def _tell(self, name: str, rule: str) -> None:
        self.unsaid.append(Unsaid(self.record.name, name, rule))

    def _unique(self, outer: Element, facts: tuple[Facts, ...], record: str, own: str) -> None:
        """Add the rules that values do not repeat."""
        groups = [(each.field.name,) for each in facts if each.field.never_repeats and not each.inside]
        for group in [*groups, *self.record.unique]:
            titles = [self.record.titles(each) for each in group]
            rule = SubElement(outer, "xs:unique", {"name": f"{self.record.name}.{'.'.join(group)}"})
            SubElement(rule, "xs:selector", {"xpath": record})
            for each in titles:
                steps = "/".join(own + part for part in each)
                SubElement(rule, "xs:field", {"xpath": f"@{each[0]}" if self.attributes and len(each) == 1 else steps})

    def _complex(self, outer: Element, facts: Iterable[Facts], *, top: bool) -> None:
        """Add fields in any order."""
        whole = SubElement(outer, "xs:all")
        for each in facts:
            if top and self.attributes and not each.inside and each.type.name != "list":
                given = {"name": each.title, "use": "optional" if each.missing else "required"}
                self._simple(SubElement(outer, "xs:attribute", given), each)
                continue
            element = SubElement(
                whole, "xs:element", {"name": each.title} | ({"minOccurs": "0"} if each.missing else {})
            )
            self._element(element, each)

    def _element(self, element: Element, facts: Facts) -> None:
        if self.chosen["missing"] == "nil" and facts.missing:
            element.set("nillable", "true")
        if facts.field.name and facts.referred:
            self._tell(facts.field.name, f"that it is the key of a {facts.referred}")
        if facts.type.name == "list":
            (line, *_) = facts.lines
            inner = SubElement(SubElement(element, "xs:complexType"), "xs:sequence")
            many = {"minOccurs": str(line.least), "maxOccurs": str(line.most) if line.most else "unbounded"}
            value = SubElement(inner, "xs:element", {"name": "value"} | many)
            if facts.inside:
                self._complex(SubElement(value, "xs:complexType"), facts.inside, top=False)
            elif line.items is not None:
                if line.items.missing and self.chosen["missing"] == "nil":
                    value.set("nillable", "true")
                self._values(value, facts, [line.items], empty=line.items.missing and self.chosen["missing"] != "nil")
            if line.distinct:
                rule = SubElement(element, "xs:unique", {"name": f"{self.record.name}.{facts.field.name}.value"})
                SubElement(rule, "xs:selector", {"xpath": f"{self.own}value"})
                SubElement(rule, "xs:field", {"xpath": "."})
        elif facts.inside:
            self._complex(SubElement(element, "xs:complexType"), facts.inside, top=False)
        else:
            self._simple(element, facts)

    def _simple(self, element: Element, facts: Facts) -> None:
        """Add the type of a value: a restriction for each line, and the empty text if it stands for a missing value."""
        if facts.field.shown is not None and facts.type.name == "boolean":
            inner = SubElement(SubElement(element, "xs:simpleType"), "xs:restriction", {"base": "xs:string"})
            none = ("",) if facts.missing and self.chosen["missing"] == "empty" else ()
            for each in (*words_like(facts.field.shown.pattern), *none):
                SubElement(inner, "xs:enumeration", {"value": each})
            return
        if facts.field.shown is not None:
            self._tell(facts.field.name, f"its form, as {facts.field.shown.pattern}")
            element.set("type", "xs:string")
            return
        empty = facts.missing and self.chosen["missing"] == "empty"
        lines = [each for at, each in enumerate(facts.lines) if each not in facts.lines[:at]]
        self._values(element, facts, lines, empty)

    def _values(self, element: Element, facts: Facts, lines: list[Allowed], empty: bool) -> None:
        """Add what lines allow; `empty` means that an empty text stands for a missing value."""
        if len(lines) == 1 and not empty:
            self._restriction(element, facts, lines[0])
            return
        self._tell(facts.field.name, "that there are no spaces around its value")
        union = SubElement(SubElement(element, "xs:simpleType"), "xs:union")
        for each in lines:
            self._restriction(union, facts, each)
        if empty:
            nothing = SubElement(SubElement(union, "xs:simpleType"), "xs:restriction", {"base": "xs:string"})
            SubElement(nothing, "xs:length", {"value": "0"})

    def _restriction(self, outer: Element, facts: Facts, line: Allowed) -> None:
        zoned = facts.zoned and line.type.name == "datetime"
        base, form = TYPES["zoned" if zoned else line.type.name]
        if not line.fine and line.type.name in ("time", "datetime") and line.low is not None:
            form = form.replace(PARTS, "")
        forms = [xsd(each) for each in line.patterns] or ([form] if form else [])
        for each in forms[:-1]:
            base = self._named(facts.field.name, base, each)
        inner = SubElement(SubElement(outer, "xs:simpleType"), "xs:restriction", {"base": base})
        for value in line.values or ():
            SubElement(inner, "xs:enumeration", {"value": _text(value)})
        if forms:
            SubElement(inner, "xs:pattern", {"value": forms[-1]})
        self._ends(inner, facts.field.name, line, zoned)

    def _named(self, name: str, base: str, form: str) -> str:
        """Add a type with a pattern, and return its name: patterns of a single restriction would be alternatives."""
        self.types += 1
        kind = f"{self.record.name}.{name}.{self.types}"
        outer = SubElement(self.root, "xs:simpleType", {"name": kind})
        SubElement(SubElement(outer, "xs:restriction", {"base": base}), "xs:pattern", {"value": form})
        return f"{self.own}{kind}"

    def _ends(self, inner: Element, name: str, line: Allowed, zoned: bool) -> None:
        ends = {"xs:minInclusive": line.low, "xs:maxInclusive": line.high}
        told = {facet: end for facet, end in ends.items() if end is not None}
        if told and (zoned or line.type.name in ("duration", "days", "period")):
            self._tell(name, f"its range {'..'.join(map(_text, told.values()))}")
        else:
            for facet, end in told.items():
                SubElement(inner, facet, {"value": _text(end)})
        if line.type.name == "decimal":
            SubElement(inner, "xs:fractionDigits", {"value": str(line.type.places)})
        if line.step is not None and line.step != Decimal(1).scaleb(-line.type.places):
            self._tell(name, f"its steps of {line.step}")


def _text(value: ItemValue | Constant) -> str:
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, datetime | date | time):
        return value.isoformat()
    return str(value)


def _write(asked: Asked) -> Written:
    (name,) = asked.names
    writer = XmlSchemaOf(asked, asked.schema.records[name])
    root = writer.schema()
    indent(root)
    text = '<?xml version="1.0" encoding="UTF-8"?>\n' + tostring(root, encoding="unicode") + "\n"
    return Written(text, tuple(dict.fromkeys([*writer.collected.unsaid, *writer.unsaid])))


DOCUMENT = Document("xml-schema", ".xsd", "XML Schema 1.0, for XML files", _write, form="xml", apart=True)
