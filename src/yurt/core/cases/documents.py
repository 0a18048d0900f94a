"""Whole files that are broken on purpose: each in one way, with what a program that reads it should do.

Every way is one function from the bytes of a sound file to those of the broken one, or None where it has no meaning.
"""

from __future__ import annotations

import io
import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass

from yurt.core.cases.output import listed
from yurt.core.engine.run import Run
from yurt.core.formats import by_name
from yurt.core.writing.runs import write

EXPECTATIONS = "expectations.csv"
# Records in each file.
ROWS = 3
DEEP = 10_000
Break = Callable[[bytes, str], bytes | None]


@dataclass(frozen=True, slots=True)
class Document:
    """A broken file: its name, its bytes, what is broken, what is expected and why."""

    name: str
    data: bytes
    fault: str
    expected: str
    reason: str


def documents_of(run: Run, record: str, form: str) -> Iterator[Document]:
    """Yield the sound file of a record type and all broken ones in one format."""
    out = io.BytesIO()
    kind = by_name()[form]
    write(run, record, (0, min(ROWS, run.table(record).count)), kind, out, 1)
    sound = out.getvalue()
    yield Document(f"{record}-sound{kind.suffix}", sound, "none", "accept", "the file that the others are made of")
    family = {"jsonl": "json"}.get(form, form)
    for fault, expected, reason, change in BREAKS["any"] + BREAKS[family]:
        data = change(sound, record)
        if data is not None and data != sound:
            yield Document(f"{record}-{fault}{kind.suffix}", data, fault, expected, reason)


def expectations(documents: list[Document]) -> bytes:
    """Return the list of what is expected of each file, as CSV."""
    rows = [
        {"file": each.name, "fault": each.fault, "expected": each.expected, "reason": each.reason} for each in documents
    ]
    return listed("csv", "expectation", rows).encode()


# ---- any format ------------------------------------------------------------------------------------------------------


def _empty(data: bytes, record: str) -> bytes:
    return b""


def _cut(data: bytes, record: str) -> bytes:
    """Cut inside the last record, not between two."""
    return data[: int(len(data) * 0.8)].rstrip(b'\r\n ,}]>"')


def _mark(data: bytes, record: str) -> bytes:
    return b"\xef\xbb\xbf" + data


def _utf16(data: bytes, record: str) -> bytes:
    return data.decode().encode("utf-16")


def _latin(data: bytes, record: str) -> bytes:
    """A byte of Latin-1 that UTF-8 does not have, inside the last text."""
    at = max(data.rfind(b"a"), data.rfind(b"e"))
    return data[:at] + b"\xe9" + data[at + 1 :]


def _null(data: bytes, record: str) -> bytes:
    return data + b"\x00" * 8


# ---- CSV -------------------------------------------------------------------------------------------------------------


def _lines(data: bytes) -> list[bytes]:
    return data.split(b"\r\n")


def _open_quote(data: bytes, record: str) -> bytes:
    lines = _lines(data)
    lines[1] = b'"' + lines[1].replace(b'"', b"")
    return b"\r\n".join(lines)


def _missing_column(data: bytes, record: str) -> bytes | None:
    lines = _lines(data)
    return None if b"," not in lines[1] else b"\r\n".join([lines[0], _shorter(lines[1]), *lines[2:]])


def _shorter(line: bytes) -> bytes:
    """Return a line without its first cell."""
    found = re.match(rb'(?:"(?:[^"]|"")*"|[^,]*),', line)
    return line[found.end() :] if found else line


def _extra_column(data: bytes, record: str) -> bytes:
    lines = _lines(data)
    lines[1] += b",one more"
    return b"\r\n".join(lines)


def _no_header(data: bytes, record: str) -> bytes:
    return b"\r\n".join(_lines(data)[1:])


def _two_headers(data: bytes, record: str) -> bytes:
    lines = _lines(data)
    return b"\r\n".join([lines[0], *lines])


def _same_name(data: bytes, record: str) -> bytes | None:
    lines = _lines(data)
    names = lines[0].split(b",")
    if len(names) < 2:
        return None
    names[1] = names[0]
    return b"\r\n".join([b",".join(names), *lines[1:]])


def _other_name(data: bytes, record: str) -> bytes:
    lines = _lines(data)
    names = lines[0].split(b",")
    names[0] = names[0] + b"_x"
    return b"\r\n".join([b",".join(names), *lines[1:]])


def _semicolons(data: bytes, record: str) -> bytes | None:
    return data.replace(b",", b";") if b"," in data else None


def _mixed_ends(data: bytes, record: str) -> bytes:
    lines = _lines(data)
    return b"".join(line + (b"\n" if at % 2 else b"\r\n") for at, line in enumerate(lines[:-1]))


def _no_end(data: bytes, record: str) -> bytes:
    return data.rstrip(b"\r\n")


# ---- JSON ------------------------------------------------------------------------------------------------------------


def _double_key(data: bytes, record: str) -> bytes | None:
    found = re.search(rb'\{("[^"]+"): ', data)
    return (
        data[: found.end(0) - len(found[0])] + b"{" + found[1] + b": null, " + data[found.start() + 1 :]
        if found
        else None
    )


def _trailing_comma(data: bytes, record: str) -> bytes:
    at = data.rfind(b"}")
    return data[:at] + b"," + data[at:]


def _comment(data: bytes, record: str) -> bytes:
    at = data.find(b"{")
    return data[:at] + b"/* made by hand */ " + data[at:]


def _single_quotes(data: bytes, record: str) -> bytes:
    return data.replace(b'"', b"'")


def _not_a_number(data: bytes, record: str) -> bytes | None:
    return re.sub(rb": -?\d+(\.\d+)?", b": NaN", data, count=1) if re.search(rb": -?\d", data) else None


def _deep(data: bytes, record: str) -> bytes:
    return b"[" * DEEP + b"]" * DEEP


def _scalar(data: bytes, record: str) -> bytes:
    return b"42\n"


# ---- XML -------------------------------------------------------------------------------------------------------------


def _crossed(data: bytes, record: str) -> bytes:
    """Close two elements in the wrong order."""
    closing = f"</{record}>".encode()
    found = re.search(rb"(</[\w.-]+>)" + re.escape(closing), data)
    return data[: found.start()] + closing + found[1] + data[found.end() :] if found else data.replace(closing, b"", 1)


def _other_root(data: bytes, record: str) -> bytes:
    return data.replace(b"<records>", b"<data>").replace(b"</records>", b"</data>")


def _two_roots(data: bytes, record: str) -> bytes:
    return data + b"<records/>\n"


def _entities(data: bytes, record: str) -> bytes:
    """Entities that grow tenfold with each level, a few levels only."""
    levels = "".join(f'<!ENTITY e{at} "{f"&e{at - 1};" * 10}">' for at in range(1, 5))
    doctype = f'<!DOCTYPE records [<!ENTITY e0 "x">{levels}]>\n'.encode()
    at = data.find(b"<records>")
    return data[:at] + doctype + re.sub(rb">[^<]+</", b">&e4;</", data[at:], count=1)


def _outside_entity(data: bytes, record: str) -> bytes:
    at = data.find(b"<records>")
    doctype = b'<!DOCTYPE records [<!ENTITY outside SYSTEM "file:///etc/hostname">]>\n'
    return data[:at] + doctype + re.sub(rb">[^<]+</", b">&outside;</", data[at:], count=1)


def _bare_ampersand(data: bytes, record: str) -> bytes:
    return re.sub(rb">([^<>]+)</", rb">\1 & more</", data, count=1)


def _undeclared(data: bytes, record: str) -> bytes:
    return data.replace(b'encoding="UTF-8"', b'encoding="UTF-16"')


def _deep_elements(data: bytes, record: str) -> bytes:
    return b"<records>" + b"<a>" * DEEP + b"</a>" * DEEP + b"</records>\n"


BREAKS: dict[str, list[tuple[str, str, str, Break]]] = {
    "any": [
        ("empty", "reject", "there is nothing in it", _empty),
        ("cut-off", "reject", "the file ends inside a record", _cut),
        ("utf-16", "reject", "another encoding than UTF-8", _utf16),
        ("latin-1", "reject", "a byte that is not UTF-8", _latin),
        ("null-bytes", "reject", "null bytes behind the end", _null),
    ],
    "csv": [
        ("byte-order-mark", "accept", "a byte order mark may stand in front (RFC 3629, 6)", _mark),
        ("open-quote", "reject", "a quote is never closed", _open_quote),
        ("missing-column", "reject", "a line has a cell less than the header", _missing_column),
        ("extra-column", "reject", "a line has a cell more than the header", _extra_column),
        ("no-header", "reject", "the header line is missing", _no_header),
        ("two-headers", "reject", "the header stands twice: the second is no record", _two_headers),
        ("doubled-name", "reject", "two columns have one name", _same_name),
        ("renamed-column", "reject", "a column has another name, so one is missing", _other_name),
        ("semicolons", "reject", "another separator than the comma", _semicolons),
        ("mixed-line-ends", "accept", "lines end in two ways; both are common", _mixed_ends),
        ("no-last-line-end", "accept", "the last line may have no end (RFC 4180, 2.2)", _no_end),
    ],
    "json": [
        ("byte-order-mark", "accept", "a reader may ignore a byte order mark (RFC 8259, 8.1)", _mark),
        ("doubled-key", "reject", "a key stands twice in one record (RFC 8259, 4)", _double_key),
        ("trailing-comma", "reject", "a comma stands before a closing brace", _trailing_comma),
        ("comment", "reject", "JSON has no comments", _comment),
        ("single-quotes", "reject", "texts stand in double quotes", _single_quotes),
        ("not-a-number", "reject", "NaN is no number of JSON", _not_a_number),
        ("deep", "reject", f"{DEEP:,} arrays inside one another", _deep),
        ("scalar", "reject", "a number where records belong", _scalar),
    ],
    "xml": [
        ("byte-order-mark", "accept", "a byte order mark may stand in front (XML 1.0, 4.3.3)", _mark),
        ("crossed-elements", "reject", "elements are closed in the wrong order", _crossed),
        ("other-root", "reject", "the root has another name", _other_root),
        ("two-roots", "reject", "there are two roots", _two_roots),
        ("entities", "reject", "entities that grow", _entities),
        ("outside-entity", "reject", "an entity that reads another file", _outside_entity),
        ("bare-ampersand", "reject", "an ampersand that begins no entity", _bare_ampersand),
        ("wrong-declaration", "reject", "the declaration names another encoding", _undeclared),
        ("deep", "reject", f"{DEEP:,} elements inside one another", _deep_elements),
    ],
}
