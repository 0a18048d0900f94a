"""Files that are malformed on purpose, each in one way, with what a program should do with them."""

from __future__ import annotations

from collections.abc import Callable

from yurt.core.base.data_classes import dataclass

# The depth of nested arrays or elements.
DEEP = 10_000


@dataclass(frozen=True)
class Break:
    """A way to make a file malformed: its name, the expected outcome, and the reason.

    `change` turns the bytes of a sound file and the name of its record type into malformed bytes; None if it does not
    apply.
    """

    fault: str
    expected: str
    reason: str
    change: Callable[[bytes, str], bytes | None]


def _empty(data: bytes, record: str) -> bytes:
    return b""


def _cut(data: bytes, record: str) -> bytes:
    """Cut inside the last record, not between two."""
    return data[: int(len(data) * 0.8)].rstrip(b'\r\n ,}]>"')


def byte_order_mark(data: bytes, record: str) -> bytes:
    return b"\xef\xbb\xbf" + data


def _utf16(data: bytes, record: str) -> bytes:
    return data.decode().encode("utf-16")


def _latin(data: bytes, record: str) -> bytes:
    """A byte of Latin-1 that is invalid in UTF-8, inside the last text."""
    at = max(data.rfind(b"a"), data.rfind(b"e"))
    return data[:at] + b"\xe9" + data[at + 1 :]


def _null(data: bytes, record: str) -> bytes:
    return data + b"\x00" * 8


ANY = (
    Break("empty", "reject", "the file is empty", _empty),
    Break("cut-off", "reject", "the file ends inside a record", _cut),
    Break("utf-16", "reject", "another encoding than UTF-8", _utf16),
    Break("latin-1", "reject", "a byte that is not UTF-8", _latin),
    Break("null-bytes", "reject", "null bytes after the end", _null),
)
