"""HTML pages (https://html.spec.whatwg.org): forms become record types, pick-lists lists of values, tables samples."""

from __future__ import annotations

import re
from decimal import Decimal, InvalidOperation
from html.parser import HTMLParser

from yurt.core.base.data_classes import dataclass, field
from yurt.core.base.errors import YurtError
from yurt.core.drafting.draft import Draft, FieldDraft, RecordDraft
from yurt.core.drafting.sources import lines
from yurt.core.drafting.sources.html_tables import Table, samples_of
from yurt.core.drafting.sources.json_values_of import kind_by_name, plain_kind
from yurt.core.drafting.sources.lines import Unwritable
from yurt.core.drafting.sources.names import record_name
from yurt.core.drafting.sources.source import Asked, Source
from yurt.core.kinds.catalogue import KINDS
from yurt.core.language.over_columns import field_names

COUNT, MISSING = "100", "missing 10%"
# Controls that send no value of a person's own.
SILENT = ("submit", "button", "reset", "image", "hidden", "file")
# Tokens of the standard that no kind has the name of.
TOKENS = {"name": "full-name", "cc-exp": "cc-exp", "bday": "birth-date", "street-address": "street-address",
          "country-name": "country", "country": "country-code", "address-level1": "region", "address-level2": "city",
          "new-password": "password", "current-password": "password", "one-time-code": ""}  # fmt: skip
TIMED = {"date": "date", "time": "time", "datetime-local": "datetime"}
VOID = frozenset(["area", "base", "br", "col", "embed", "hr", "img", "input", "link", "meta", "source", "track", "wbr"])


@dataclass
class Control:
    """A control of a form: its element, attributes, label, and options with their values."""

    tag: str
    attributes: dict[str, str]
    label: str = ""
    options: list[tuple[str, str]] = field(default_factory=list)

    @property
    def kind(self) -> str:
        """The type of an input; the element for others."""
        return self.attributes.get("type", "text").lower() if self.tag == "input" else self.tag

    @property
    def name(self) -> str:
        """The name under which the value is sent."""
        return self.attributes.get("name") or self.attributes.get("id") or ""


@dataclass
class Form:
    """A form: its attributes, the last heading or legend before its controls, and the controls."""

    attributes: dict[str, str]
    heading: str = ""
    controls: list[Control] = field(default_factory=list)


class Page(HTMLParser):
    """Collects the forms and tables of a page; nothing in it is run."""

    def __init__(self) -> None:
        super().__init__(convert_charrefs=True)
        self.title = ""
        self.forms: list[Form] = []
        self.tables: list[Table] = []
        self.loose = Form({})
        self.data_lists: dict[str, list[tuple[str, str]]] = {}
        self.labels: dict[str, str] = {}
        self._heading = ""
        self._open: list[str] = []
        self._text: list[str] = []
        self._form: Form | None = None
        self._label: tuple[str, Control | None] | None = None
        self._control: Control | None = None
        self._options: list[tuple[str, str]] | None = None
        self._option: dict[str, str] | None = None
        self._table: list[Table] = []

    # ---- tags --------------------------------------------------------------------------------------------------------

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        attributes = {name: value if value is not None else "" for name, value in attrs}
        if tag in ("title", "h1", "h2", "h3", "legend", "caption", "label", "option", "th", "td"):
            self._close_text(tag)
            self._text = []
        match tag:
            case "form":
                self._form = Form(attributes, self._heading)
                self.forms.append(self._form)
            case "label":
                self._label = (attributes.get("for", ""), None)
            case "input" | "select" | "textarea":
                self._begin(Control(tag, attributes))
            case "datalist":
                self._options = self.data_lists.setdefault(attributes.get("id", ""), [])
            case "option":
                self._option = attributes
            case "table":
                self._table.append(Table(attributes.get("id", "")))
                self.tables.append(self._table[-1])
            case "tr" if self._table:
                self._table[-1].begin_row()
            case "td" | "th" if self._table:
                self._table[-1].begin_cell(tag == "th", attributes)

    def handle_startendtag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.handle_starttag(tag, attrs)
        if tag not in VOID:
            self.handle_endtag(tag)

    def handle_data(self, data: str) -> None:
        self._text.append(data)

    def handle_endtag(self, tag: str) -> None:
        self._close_text(tag)
        match tag:
            case "form":
                self._form = None
            case "select":
                self._options = None
            case "datalist":
                self._options = None
            case "table" if self._table:
                self._table.pop()

    def _begin(self, control: Control) -> None:
        if self._label is not None:
            if not control.label:
                control.label = " ".join("".join(self._text).split())
            self._label = (self._label[0], control)
        (self._form or self.loose).controls.append(control)
        self._control = control
        self._options = control.options if control.tag == "select" else self._options

    def _close_text(self, tag: str) -> None:
        """Take the text of an element that ends, or that another one of its sort ends."""
        text = " ".join("".join(self._text).split())
        if tag == "title" and not self.title:
            self.title = text
        elif tag in ("h1", "h2", "h3", "legend"):
            self._heading = text or self._heading
            if self._form is not None and not self._form.controls and text:
                self._form.heading = text
        elif tag == "caption" and self._table:
            self._table[-1].caption = text or self._table[-1].caption
        elif tag == "label" and self._label is not None:
            target, control = self._label
            if target:
                self.labels[target] = text
            if control is not None and text:
                control.label = control.label or text
            self._label = None
        elif tag in ("option", "select", "datalist") and self._option is not None and self._options is not None:
            self._options.append((self._option.get("value", text), text))
            self._option = None
        elif tag in ("td", "th", "tr") and self._table:
            self._table[-1].end_cell(text)
        if tag in ("title", "h1", "h2", "h3", "legend", "caption", "label", "option", "td", "th", "tr"):
            self._text = []


# ---- fields ----------------------------------------------------------------------------------------------------------


def _fields(form: Form, page: Page, asked: Asked, place: str) -> list[FieldDraft]:
    """Return a field for each name that a form sends."""
    controls = [each for each in form.controls if each.kind not in SILENT and each.name]
    names = field_names(list(dict.fromkeys(each.name for each in controls)))
    found: list[FieldDraft] = []
    for title, name in names.items():
        own = [each for each in controls if each.name == title]
        first = own[0]
        draft = FieldDraft(name, title, found="a control of the form")
        where = f"{place}.{title}"
        try:
            draft.head, draft.clauses = _line(own, name, page, asked, where)
        except (Unwritable, InvalidOperation, ValueError) as fault:
            word = "pattern" if "pattern" in first.attributes else "type"
            asked.leave_out(word, where, str(fault) or "a number that cannot be read")
            draft.head, draft.clauses = "text 0..50 of any", []
        required = any("required" in each.attributes for each in own) or first.kind in ("checkbox", "range", "color")
        if not required and MISSING not in draft.clauses:
            draft.clauses.append(MISSING)
        label = page.labels.get(first.attributes.get("id", ""), first.label).rstrip(" :*")
        if label and label.casefold().replace(" ", "_") != name.casefold() and len(label) <= 60 and len(own) == 1:
            draft.notes.append(label)
        found.append(draft)
    return found


def _line(own: list[Control], name: str, page: Page, asked: Asked, place: str) -> tuple[str, list[str]]:
    first = own[0]
    kind, attributes = first.kind, first.attributes
    if kind == "radio":
        return lines.one_of(list(dict.fromkeys(each.attributes.get("value", "on") for each in own))), []
    if kind == "checkbox":
        values = [each.attributes.get("value", "on") for each in own]
        if len(values) > 1:
            return f"list 0..{len(values)} of ({lines.one_of(values)})", ["distinct"]
        # One that is required must be ticked.
        return "one of true" if "required" in attributes else "boolean", []
    if kind == "select":
        values = list(dict.fromkeys(value for value, _ in first.options if value))
        if not values:
            raise Unwritable("a pick-list without values")
        if "multiple" in attributes:
            return f"list 0..{min(len(values), 5)} of ({lines.one_of(values)})", ["distinct"]
        return lines.one_of(values), []
    if kind in ("number", "range"):
        return _number(attributes, kind)
    if kind in TIMED:
        return _timed(kind, attributes)
    if kind in ("month", "week"):
        return {"month": r"/20\d\d-(0[1-9]|1[0-2])/", "week": r"/20\d\d-W(0[1-9]|[1-4]\d|5[0-2])/"}[kind], []
    if kind == "color":
        return "/#[0-9a-f]{6}/", []
    return _text(first, name, page)


def _number(attributes: dict[str, str], kind: str) -> tuple[str, list[str]]:
    low, high = (Decimal(attributes[word]) if attributes.get(word) else None for word in ("min", "max"))
    if kind == "range":
        low, high = low if low is not None else Decimal(0), high if high is not None else Decimal(100)
    told = attributes.get("step", "1") or "1"
    if told == "any":
        return lines.decimal(low, high), []
    step = Decimal(told)
    if step == step.to_integral_value() and all(
        each is None or each == each.to_integral_value() for each in (low, high)
    ):
        if step > 1 and low is None:
            low = Decimal(0)
        # Steps are counted from the minimum.
        head = f"integer {'' if low is None else int(low)}..{'' if high is None else int(high)}"
        return head + (f" step {int(step)}" if step > 1 else ""), []
    places = max(-int(each.as_tuple().exponent) for each in (step, low, high) if each is not None)
    if step == Decimal(1).scaleb(-places):
        return lines.decimal(low, high, None, places), []
    return lines.decimal(low if low is not None else Decimal(0), high, step), []


def _timed(kind: str, attributes: dict[str, str]) -> tuple[str, list[str]]:
    low, high = attributes.get("min", ""), attributes.get("max", "")
    shape = {
        "date": r"\d{4}-\d\d-\d\d",
        "time": r"\d\d:\d\d(:\d\d)?",
        "datetime-local": r"\d{4}-\d\d-\d\dT\d\d:\d\d(:\d\d)?",
    }
    for each in (low, high):
        if each and not re.fullmatch(shape[kind], each):
            raise Unwritable(f"`{each}` is no {kind}")
    step = "" if kind == "date" else " step 1min"
    seconds = attributes.get("step", "")
    if seconds and seconds != "any" and kind != "date":
        step = f" step {Decimal(seconds):f}s" if Decimal(seconds) % 60 else f" step {int(Decimal(seconds)) // 60}min"
    form = {"date": [], "time": ['as "%H:%M"'], "datetime-local": ['as "%Y-%m-%dT%H:%M"']}[kind]
    return f"{TIMED[kind]} {low}..{high}{step}", list(form)


def _text(control: Control, name: str, page: Page) -> tuple[str, list[str]]:
    attributes = control.attributes
    low = int(attributes.get("minlength") or 0)
    high = int(attributes["maxlength"]) if attributes.get("maxlength") else None
    low = max(low, 1) if "required" in attributes else low
    values = [value for value, _ in page.data_lists.get(attributes.get("list", ""), [])]
    kind, about = _kind(control, name)
    if attributes.get("pattern"):
        found = lines.text(low, high, [attributes["pattern"]], whole=True)
        return found.head, list(found.clauses)
    if values:
        # The values are suggestions: others are allowed.
        return lines.one_of(list(dict.fromkeys(values))), []
    if kind is None:
        usual = "sentence" if control.tag == "textarea" else plain_kind(low, high or 60)
        return lines.text(low, high if high is not None else 200).head, [f"usually as {usual}"] if usual else []
    of = f" of {about}" if about else ""
    # The standard names the kind, so that is what is allowed, in the length that the form takes.
    if high is not None and high < 12:
        return kind + of, [rf"matching /[^\uffff]{{{low},{high}}}/"]
    return kind + of, []


def _kind(control: Control, name: str) -> tuple[str | None, str]:
    """Return the kind that a control is for, and about whom: by its autofill token, its type, or its name."""
    tokens = [each for each in control.attributes.get("autocomplete", "").lower().split() if each not in ("on", "off")]
    about = next((each for each in tokens if each in ("shipping", "billing")), "")
    token = tokens[-1] if tokens else ""
    found = TOKENS.get(token, token)
    if found in KINDS:
        return found, about
    by_type = {"email": "email", "tel": "tel", "url": "url", "password": "password"}.get(control.kind)
    if by_type is not None:
        return by_type, about
    return kind_by_name(name) or kind_by_name(control.attributes.get("id", "")), about


def _read(data: bytes, asked: Asked) -> Draft:
    page = Page()
    page.feed(_decoded(data))
    page.close()
    draft = Draft(title=" ".join(page.title.split()))
    forms = [
        each for each in [*page.forms, page.loose] if any(one.kind not in SILENT and one.name for one in each.controls)
    ]
    used: set[str] = set()
    for number, form in enumerate(forms, 1):
        name = _form_name(form, number, asked)
        while name in used:
            name += f"_{number}"
        used.add(name)
        fields = _fields(form, page, asked, name)
        record = RecordDraft(name, COUNT, fields)
        if form.heading:
            record.notes.append(form.heading)
        draft.records.append(record)
    asked.samples += samples_of(page.tables, asked, used)
    if not draft.records and not asked.samples:
        raise YurtError(f"{asked.name}: there is no form with fields, and no table with rows, on this page")
    return asked.finish(draft)


def _form_name(form: Form, number: int, asked: Asked) -> str:
    told = form.attributes.get("name") or form.attributes.get("id") or form.heading
    words = record_name(told) if told else ""
    words = re.sub(r"_?form$", "", words) or words
    return words if 0 < len(words) <= 30 else asked.record if number == 1 else f"form_{number}"


def _decoded(data: bytes) -> str:
    found = re.search(rb"<meta[^>]+charset=[\"']?([\w-]+)", data[:2048], re.IGNORECASE)
    name = found[1].decode("ascii") if found else "utf-8"
    try:
        return data.decode(name, "replace")
    except LookupError:
        return data.decode("utf-8", "replace")


def _matches(suffix: str, head: bytes) -> bool:
    if suffix not in (".html", ".htm", ".xhtml", ""):
        return False
    return suffix != "" or re.match(rb"\s*<(!doctype html|html)", head, re.IGNORECASE) is not None


SOURCE = Source("HTML page", "an HTML page: its forms and tables", _matches, _read)
