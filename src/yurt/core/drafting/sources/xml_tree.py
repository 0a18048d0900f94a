"""XML documents as trees of elements with their lines; no document type, so no entities of its own."""

from __future__ import annotations

from xml.parsers import expat

from yurt.core.base.data_classes import dataclass, field
from yurt.core.base.errors import YurtError

DEEPEST = 200
BETWEEN = " "


@dataclass
class Element:
    """An element: its namespace and name, attributes without a namespace, the elements inside it, and its text."""

    namespace: str
    name: str
    attributes: dict[str, str]
    line: int
    inside: list[Element] = field(default_factory=list)
    text: str = ""
    # The namespaces that are declared here, by prefix.
    prefixes: dict[str, str] = field(default_factory=dict)

    def all(self, name: str) -> list[Element]:
        """Return the elements of a name inside this one."""
        return [each for each in self.inside if each.name == name]

    def first(self, *names: str) -> Element | None:
        """Return the first element inside this one with one of some names."""
        return next((each for each in self.inside if each.name in names), None)

    def get(self, name: str, default: str = "") -> str:
        """Return an attribute."""
        return self.attributes.get(name, default)


def tree_of(data: bytes, name: str) -> Element:
    """Return the root of a document. Raises YurtError with the line of a fault."""
    parser = expat.ParserCreate(namespace_separator=BETWEEN)
    parser.buffer_text = True
    top: list[Element] = []
    open_ones: list[Element] = []
    declared: dict[str, str] = {}

    def start(tag: str, attributes: dict[str, str]) -> None:
        if len(open_ones) >= DEEPEST:
            raise YurtError(f"{name}, line {parser.CurrentLineNumber:,}: more than {DEEPEST} levels deep")
        namespace, _, own = tag.rpartition(BETWEEN)
        plain = {each: value for each, value in attributes.items() if BETWEEN not in each}
        element = Element(namespace, own, plain, parser.CurrentLineNumber, prefixes=dict(declared))
        declared.clear()
        if open_ones:
            element.prefixes = {**open_ones[-1].prefixes, **element.prefixes}
            open_ones[-1].inside.append(element)
        top.append(element)
        open_ones.append(element)

    def refuse(*arguments: object) -> None:
        told = "a document type, which is not read: it may name entities and files"
        raise YurtError(f"{name}, line {parser.CurrentLineNumber:,}: {told}")

    def text(part: str) -> None:
        if open_ones:
            open_ones[-1].text += part

    parser.StartElementHandler = start
    parser.EndElementHandler = lambda tag: open_ones.pop()
    parser.CharacterDataHandler = text
    parser.StartDoctypeDeclHandler = refuse
    parser.StartNamespaceDeclHandler = lambda prefix, uri: declared.__setitem__(prefix or "", uri or "")
    try:
        parser.Parse(data, True)
    except expat.ExpatError as error:
        raise YurtError(
            f"{name}, line {error.lineno:,}: not well-formed XML: {expat.ErrorString(error.code)}"
        ) from None
    return top[0]
