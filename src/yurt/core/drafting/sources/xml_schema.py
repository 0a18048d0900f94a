"""XML Schema 1.0 (https://www.w3.org/TR/xmlschema-1/): elements of records, and the types of their values."""

from __future__ import annotations

import re
from decimal import InvalidOperation

from yurt.core.base.errors import YurtError
from yurt.core.drafting.draft import Draft, FieldDraft, RecordDraft
from yurt.core.drafting.sources import lines
from yurt.core.drafting.sources.lines import Unwritable
from yurt.core.drafting.sources.names import record_name
from yurt.core.drafting.sources.source import Asked, Source
from yurt.core.drafting.sources.xml_tree import Element, tree_of
from yurt.core.drafting.sources.xml_types import Simple, line_of
from yurt.core.language.over_columns import field_names

XSD = "http://www.w3.org/2001/XMLSchema"
COUNT, MISSING = "100", "missing 10%"
DEEPEST = 30


class SchemaReader:
    """Reads the record type of a schema document, and of those that it includes."""

    def __init__(self, root: Element, asked: Asked) -> None:
        self.root, self.asked = root, asked
        self.types: dict[str, Element] = {}
        self.elements: dict[str, Element] = {}
        self.groups: dict[str, Element] = {}
        self.absent = self.nillable = False
        self._collect(root, ())

    def _collect(self, root: Element, around: tuple[str, ...]) -> None:
        for each in root.inside:
            if each.name in ("include", "import", "redefine"):
                place = each.get("schemaLocation")
                if place and place not in around and len(around) < DEEPEST:
                    self._collect(_schema(self.asked.opener(place), place), (*around, place))
            elif each.name in ("simpleType", "complexType"):
                self.types.setdefault(each.get("name"), each)
            elif each.name == "element":
                self.elements.setdefault(each.get("name"), each)
            elif each.name in ("group", "attributeGroup"):
                self.groups.setdefault(f"{each.name} {each.get('name')}", each)

    def draft(self) -> Draft:
        """Return the draft. Raises YurtError for a schema without an element of records."""
        if not self.elements:
            raise YurtError(f"{self.asked.name}: there is no element at the top")
        name, top = next(iter(self.elements.items()))
        outer = self._complex_of(top)
        repeated = self._repeated(outer) if outer is not None else None
        draft = Draft()
        output: dict[str, str] = {}
        if repeated is not None:
            output |= {"root": name} if name != "records" else {}
            element = self._resolved(repeated)
            record_element, own = element, element.get("name")
        else:
            record_element, own = top, name
        if record_name(own) != own or not own.isidentifier():
            output["record-name"] = own
        record = RecordDraft(record_name(own) if not own.isidentifier() else own, COUNT)
        inner = self._complex_of(record_element)
        if inner is None:
            raise YurtError(
                f"{self.asked.name}, line {record_element.line:,}: `{own}` has no fields: a complex type was expected"
            )
        record.notes += _documentation(record_element)
        record.fields = self._fields(inner, "", (own,))
        self._values_as(inner, record, output)
        if namespace := self.root.get("targetNamespace"):
            output["namespace"] = namespace
            if self.root.get("elementFormDefault") != "qualified":
                self.asked.leave_out("elementFormDefault", own, "elements that are not in the namespace of their root")
        output["missing"] = "nil" if self.nillable and not self.absent else "absent"
        if self.nillable and self.absent:
            self.asked.leave_out("nillable", own, "xsi:nil, where other elements may be absent")
        self._identities(top, record)
        draft.records.append(record)
        draft.output = {
            "xml": {word: value for word, value in output.items() if (word, value) != ("missing", "absent")}
        }
        draft.output = {form: settings for form, settings in draft.output.items() if settings}
        return self.asked.finish(draft)

    def _values_as(self, complex_type: Element, record: RecordDraft, output: dict[str, str]) -> None:
        attributes = [each.title for each in record.fields if each.found == "an attribute"]
        single = [
            each
            for each in record.fields
            if "." not in each.name and not each.nested and not each.head.startswith("list ")
        ]
        if attributes and len(attributes) == len(single):
            output["values"] = "attributes"
        elif attributes:
            self.asked.leave_out("attribute", record.name, "attributes beside elements with values")

    def _repeated(self, complex_type: Element) -> Element | None:
        """Return the only element inside a type, if it may be there many times and has fields."""
        group = complex_type.first("sequence", "all", "choice")
        found = group.all("element") if group is not None else []
        if len(found) != 1 or complex_type.all("attribute"):
            return None
        many = found[0].get("maxOccurs", group.get("maxOccurs", "1") if group is not None else "1")
        if many != "unbounded" and not (many.isdigit() and int(many) > 1):
            return None
        return found[0] if self._complex_of(self._resolved(found[0])) is not None else None

    def _resolved(self, element: Element) -> Element:
        """Return the element that a reference means."""
        if not element.get("ref"):
            return element
        found = self.elements.get(_local(element.get("ref")))
        if found is None:
            raise YurtError(f"{self.asked.name}, line {element.line:,}: there is no element `{element.get('ref')}`")
        return found

    def _complex_of(self, element: Element) -> Element | None:
        """Return the complex type of an element; None for a simple one."""
        if (own := element.first("complexType")) is not None:
            return own
        found = self.types.get(_local(element.get("type")))
        return found if found is not None and found.name == "complexType" and not self._built_in(element) else None

    def _built_in(self, element: Element) -> bool:
        prefix = element.get("type").rpartition(":")[0]
        return element.prefixes.get(prefix, "") == XSD

    # ---- fields ------------------------------------------------------------------------------------------------------

    def _fields(self, complex_type: Element, path: str, around: tuple[str, ...]) -> list[FieldDraft]:
        found: list[FieldDraft] = []
        used: dict[str, str] = {}
        if len(around) > DEEPEST:
            self._leave_out("complexType", around, "it contains itself")
            return found
        for each, optional in self._particles(complex_type, around):
            element = self._resolved(each)
            title = element.get("name")
            used[title] = field_names([*used, title])[title]
            name = f"{path}.{used[title]}" if path else used[title]
            own = self._element(element, each, name, title, (*around, title))
            if own and (optional or each.get("minOccurs") == "0"):
                self._may_miss(own[0])
            if own and element.get("nillable") == "true":
                self.nillable = True
                self._may_miss(own[0], absent=False)
            found += own
        for attribute in self._attributes(complex_type, around):
            title = attribute.get("name") or _local(attribute.get("ref"))
            if attribute.get("use") == "prohibited":
                continue
            used[title] = field_names([*used, title])[title]
            draft = FieldDraft(f"{path}.{used[title]}" if path else used[title], title, found="an attribute")
            draft.head, draft.clauses = self._value(attribute, (*around, f"@{title}"))
            if attribute.get("use") != "required":
                self._may_miss(draft)
            if path:
                self._leave_out("attribute", (*around, title), "an attribute of an element inside the record")
            found.append(draft)
        return found

    def _may_miss(self, field: FieldDraft, absent: bool = True) -> None:
        if MISSING not in field.clauses:
            field.clauses.append(MISSING)
        self.absent = self.absent or absent

    def _particles(
        self, complex_type: Element, around: tuple[str, ...], optional: bool = False, within: tuple[int, ...] = ()
    ) -> list[tuple[Element, bool]]:
        """Return the elements of a type in their order, and whether the group around each may be absent.

        `within` are the types and groups that this one is part of.
        """
        found: list[tuple[Element, bool]] = []
        if id(complex_type) in within:
            self._leave_out(complex_type.name, around, "it is part of itself")
            return found
        within = (*within, id(complex_type))
        for each in complex_type.inside:
            if each.name == "element":
                found.append((each, optional))
            elif each.name in ("sequence", "all"):
                if each.get("maxOccurs", "1") not in ("1", "0"):
                    self._leave_out("maxOccurs", around, "a group of elements that repeats")
                if each.get("minOccurs") == "0" and len(each.inside) > 1:
                    self._leave_out("minOccurs", around, "a group of elements that is there as a whole or not")
                found += self._particles(each, around, optional or each.get("minOccurs") == "0", within)
            elif each.name == "group" and each.get("ref"):
                group = self.groups.get(f"group {_local(each.get('ref'))}")
                found += self._particles(group, around, optional, within) if group is not None else []
            elif each.name == "complexContent" and (more := each.first("extension", "restriction")) is not None:
                base = self.types.get(_local(more.get("base")))
                if base is not None and more.name == "extension":
                    found += self._particles(base, around, optional, within)
                found += self._particles(more, around, optional, within)
            elif each.name in ("choice", "any", "simpleContent"):
                self._leave_out(each.name, around, "no line says this")
        return found

    def _attributes(
        self, complex_type: Element, around: tuple[str, ...], within: tuple[int, ...] = ()
    ) -> list[Element]:  # fmt: skip
        found = complex_type.all("attribute")
        for each in complex_type.all("attributeGroup"):
            group = self.groups.get(f"attributeGroup {_local(each.get('ref'))}")
            found += group.all("attribute") if group is not None else []
        content = complex_type.first("complexContent")
        more = content.first("extension") if content is not None else None
        if more is not None:
            base = self.types.get(_local(more.get("base")))
            inside = (*within, id(complex_type))
            # A type that is part of itself is left out by `_particles`.
            found += self._attributes(base, around, inside) if base is not None and id(base) not in inside else []
            found += more.all("attribute")
        return found

    def _element(
        self, element: Element, particle: Element, name: str, title: str, around: tuple[str, ...]
    ) -> list[FieldDraft]:
        draft = FieldDraft(name, title, found="an element")
        draft.notes += [each for each in _documentation(element) if len(each) <= 60]
        many = particle.get("maxOccurs", "1")
        if many not in ("1", "0"):
            self._leave_out("maxOccurs", around, "an element that repeats; a list has one element around its values")
        complex_type = self._complex_of(element)
        if complex_type is None:
            draft.head, draft.clauses = self._value(element, around)
            return [draft]
        values = self._repeated_value(complex_type)
        if values is not None:
            return self._list(draft, values, name, around)
        draft.nested = True
        return [draft, *self._fields(complex_type, name, around)]

    def _repeated_value(self, complex_type: Element) -> Element | None:
        """Return the element `value` that a list consists of."""
        group = complex_type.first("sequence")
        inside = group.all("element") if group is not None else []
        if len(inside) == 1 and inside[0].get("name") == "value" and inside[0].get("maxOccurs", "1") != "1":
            return inside[0]
        return None

    def _list(self, draft: FieldDraft, value: Element, name: str, around: tuple[str, ...]) -> list[FieldDraft]:
        low, high = value.get("minOccurs", "1"), value.get("maxOccurs")
        size = f"{low}.." if high == "unbounded" else f"{low}..{high}"
        complex_type = self._complex_of(value)
        if complex_type is not None:
            draft.nested, draft.list_size = True, size
            return [draft, *self._fields(complex_type, name, (*around, "value"))]
        head, clauses = self._value(value, (*around, "value"))
        inner = ", ".join([head, *clauses])
        draft.head = f"list {size} of ({inner})" if clauses else f"list {size} of {head}"
        return [draft]

    # ---- values ------------------------------------------------------------------------------------------------------

    def _value(self, element: Element, around: tuple[str, ...]) -> tuple[str, list[str]]:
        """Return the line of a simple value."""
        place = "/".join(around)
        if element.get("fixed"):
            return lines.one_of([element.get("fixed")]), []
        simple = self._simple(element, place, 0)
        try:
            return line_of(simple, around[-1].lstrip("@"))
        except (Unwritable, InvalidOperation) as fault:
            self.asked.leave_out(simple.base, place, str(fault) or "a number that cannot be read")
            return "text 0.. of any", []

    def _simple(self, element: Element, place: str, depth: int) -> Simple:
        own = element.first("simpleType")
        name = element.get("type")
        if own is None and (not name or self._built_in(element)):
            return Simple(_local(name) or "string")
        if own is None:
            own = self.types.get(_local(name))
        if own is None or depth > DEEPEST:
            raise YurtError(f"{self.asked.name}, line {element.line:,}: there is no type `{name}`")
        restriction = own.first("restriction")
        if restriction is None:
            word = own.inside[0].name if own.inside else "simpleType"
            self.asked.leave_out(word, place, "no line says this")
            return Simple("string")
        found = self._base(restriction, place, depth)
        values = [each.get("value") for each in restriction.all("enumeration")]
        if values:
            found.values = values if found.values is None else [each for each in values if each in found.values]
        if patterns := [each.get("value") for each in restriction.all("pattern")]:
            found.patterns.append(patterns)
        for each in restriction.inside:
            if each.name not in ("enumeration", "pattern", "annotation", "simpleType"):
                found.facets[each.name] = each.get("value")
        return found

    def _base(self, restriction: Element, place: str, depth: int) -> Simple:
        if restriction.first("simpleType") is not None:
            return self._simple(restriction, place, depth + 1)
        base = Element(
            "", "element", {"type": restriction.get("base")}, restriction.line, prefixes=restriction.prefixes
        )
        return self._simple(base, place, depth + 1)

    def _identities(self, top: Element, record: RecordDraft) -> None:
        """Take the rules that values do not repeat."""
        for each in top.all("unique") + top.all("key"):
            names = [re.sub(r"^@|^\w+:", "", one.get("xpath")) for one in each.all("field")]
            fields = [next((one for one in record.fields if one.title == name), None) for name in names]
            known = [one for one in fields if one is not None]
            if len(known) < len(names) or not names:
                self.asked.leave_out(each.name, record.name, each.get("name"))
            elif len(known) == 1:
                if "unique" not in known[0].clauses:
                    known[0].clauses.append("unique")
            else:
                record.unique.append(tuple(one.name for one in known))
        for each in top.all("keyref"):
            self.asked.leave_out("keyref", record.name, each.get("name"))

    def _leave_out(self, word: str, around: tuple[str, ...], reason: str) -> None:
        self.asked.leave_out(word, "/".join(around), reason)


def _documentation(element: Element) -> list[str]:
    note = element.first("annotation")
    told = note.first("documentation") if note is not None else None
    text = " ".join(told.text.split()) if told is not None else ""
    return [text] if text else []


def _local(name: str) -> str:
    return name.rpartition(":")[2]


def _schema(data: bytes, name: str) -> Element:
    root = tree_of(data, name)
    if root.namespace != XSD or root.name != "schema":
        raise YurtError(f"{name}: no XML Schema: its root is `{root.name}`")
    return root


def _read(data: bytes, asked: Asked) -> Draft:
    return SchemaReader(_schema(data, asked.name), asked).draft()


def _matches(suffix: str, head: bytes) -> bool:
    return suffix == ".xsd" or (
        suffix == ".xml" and b'http://www.w3.org/2001/XMLSchema"' in head and b"schema" in head[:600]
    )


SOURCE = Source("XML Schema", "an XML Schema 1.0", _matches, _read)
