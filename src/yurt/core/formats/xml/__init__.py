"""XML 1.0: a root with one element per record, by default `records` and the name of the record type."""

from __future__ import annotations

from yurt.core.formats.common.format import TextFormat
from yurt.core.formats.common.settings import Chosen, Setting, complete
from yurt.core.formats.common.values import CHILDREN, FIELDS
from yurt.core.formats.xml.malformed import BREAKS
from yurt.core.formats.xml.reading import XmlReader
from yurt.core.formats.xml.writing import NAME, Dress, XmlWriter, cannot


def _name(value: str) -> str:
    return "" if not value or NAME.fullmatch(value) else "the name of an element, without a colon"


SETTINGS = (
    FIELDS, CHILDREN,
    Setting("root", "the name of the root", "records", "data", wrong=lambda value: _name(value or "?")),
    Setting("record-name", "the name of each record; without it, that of the record type", "", "row", wrong=_name),
    Setting("missing", "a missing value: no element, an empty one, or one with xsi:nil", "absent", "nil",
            ("absent", "empty", "nil")),
    Setting("values", "whether values are elements, or attributes of their record", "elements", "attributes",
            ("elements", "attributes")),
    Setting("namespace", "the namespace of all elements", "", "urn:example:huts"),
    Setting("prefix", "the prefix of the namespace; without it, it is the default one", "", "h", wrong=_name),
)  # fmt: skip


def _configured(chosen: Chosen) -> TextFormat:
    dress = Dress(chosen["root"], chosen["record-name"], chosen["missing"], chosen["values"] == "attributes",
                  chosen["namespace"], chosen["prefix"] if chosen["namespace"] else "")  # fmt: skip
    writer, reader = XmlWriter(dress), XmlReader(dress.root, dress.missing == "empty")
    return TextFormat(
        name="xml", suffixes=(".xml",), meaning="one element for each record, values as in XML Schema",
        settings=SETTINGS, configured=_configured, opening=writer.opening, records=writer.records, separator="\n",
        closing=writer.closing, finish=writer.finish, token=writer.token, cannot=cannot,
        read=reader.read, breaks=BREAKS if dress == Dress() else (), nests=True, inside=chosen["children"] == "inside",
    )  # fmt: skip


FORMAT = _configured(complete("xml", SETTINGS, {}))
