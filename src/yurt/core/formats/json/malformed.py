"""JSON files that are malformed on purpose."""

from __future__ import annotations

import re

from yurt.core.formats.common.breaks import ANY, DEEP, Break, byte_order_mark


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


BREAKS = (
    *ANY,
    Break("byte-order-mark", "accept", "a reader may ignore a byte order mark (RFC 8259, 8.1)", byte_order_mark),
    Break("doubled-key", "reject", "a key is repeated in one record (RFC 8259, 4)", _double_key),
    Break("trailing-comma", "reject", "there is a comma before a closing brace", _trailing_comma),
    Break("comment", "reject", "JSON has no comments", _comment),
    Break("single-quotes", "reject", "texts are in double quotes", _single_quotes),
    Break("not-a-number", "reject", "NaN is not a JSON number", _not_a_number),
    Break("deep", "reject", f"{DEEP:,} nested arrays", _deep),
    Break("scalar", "reject", "a number where records belong", _scalar),
)
