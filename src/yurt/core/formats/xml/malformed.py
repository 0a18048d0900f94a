"""XML files that are malformed on purpose."""

from __future__ import annotations

import re

from yurt.core.formats.common.breaks import ANY, DEEP, Break, byte_order_mark


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
    """Entities that grow tenfold with each level, but only a few levels."""
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


BREAKS = (
    *ANY,
    Break("byte-order-mark", "accept", "a byte order mark is allowed in front (XML 1.0, 4.3.3)", byte_order_mark),
    Break("crossed-elements", "reject", "elements are closed in the wrong order", _crossed),
    Break("other-root", "reject", "the root has another name", _other_root),
    Break("two-roots", "reject", "there are two roots", _two_roots),
    Break("entities", "reject", "entities that grow", _entities),
    Break("outside-entity", "reject", "an entity that reads another file", _outside_entity),
    Break("bare-ampersand", "reject", "an ampersand that does not begin an entity", _bare_ampersand),
    Break("wrong-declaration", "reject", "the declaration names another encoding", _undeclared),
    Break("deep", "reject", f"{DEEP:,} nested elements", _deep_elements),
)
