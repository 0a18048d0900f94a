"""Encodings of text files: how a file is encoded while it is written, and decoded while it is read."""

from __future__ import annotations

import codecs
from collections.abc import Callable, Iterator
from typing import IO

import pyarrow as pa

from yurt.core.base.data_classes import dataclass
from yurt.core.base.streams import PIECE, Rewindable
from yurt.core.formats.common.settings import Setting

# The name of Python's codec, and the mark at the start.
CODECS: dict[str, tuple[str, bytes]] = {
    "utf-8": ("utf-8", b""), "utf-8-mark": ("utf-8", codecs.BOM_UTF8), "utf-16": ("utf-16-le", codecs.BOM_UTF16_LE),
    "iso-8859-1": ("iso-8859-1", b""), "iso-8859-2": ("iso-8859-2", b""), "iso-8859-15": ("iso-8859-15", b""),
    **{f"windows-125{each}": (f"cp125{each}", b"") for each in range(9)},
}  # fmt: skip
ENCODING = Setting(
    "encoding", "the characters as bytes (names of the IANA; utf-8-mark begins with a byte order mark)", "utf-8",
    "windows-1252", tuple(CODECS),
)  # fmt: skip
UNMAPPABLE = Setting(
    "unmappable", "what stands for a character that the encoding does not have; without it, the run stops", "", "?",
    wrong=lambda value: "" if len(value) <= 1 and value.isascii() else "one ASCII character",
)  # fmt: skip


@dataclass(frozen=True)
class Encoding:
    """An encoding by its name, and the character for those that it does not have (none: an error)."""

    name: str = "utf-8"
    instead: str = ""

    @property
    def mark(self) -> bytes:
        """The bytes at the start of a file."""
        return CODECS[self.name][1]

    def encoded(self, text: str | pa.Buffer) -> bytes | pa.Buffer:
        """Return a text in this encoding. Raises UnicodeEncodeError."""
        codec = CODECS[self.name][0]
        if codec == "utf-8":
            return text.encode() if isinstance(text, str) else text
        plain = text if isinstance(text, str) else bytes(text).decode()
        return plain.encode(codec, _handler(self.instead) if self.instead else "strict")

    def can(self, text: str) -> bool:
        """Return whether the encoding has all characters of a text."""
        if self.instead:
            return True
        try:
            text.encode(CODECS[self.name][0])
        except UnicodeEncodeError:
            return False
        return True

    def decoding(self, open_file: Callable[[], IO[bytes]]) -> Callable[[], IO[bytes]]:
        """Return how to open a file in this encoding as UTF-8."""
        codec = CODECS[self.name][0]
        if codec == "utf-8":
            return open_file

        def opened() -> IO[bytes]:
            stream = open_file()
            return Rewindable(lambda: _decoded(stream, codec), stream.close)  # type: ignore[return-value]

        return opened


def _handler(instead: str) -> str:
    """Register what replaces a character, and return the name of that."""
    name = f"yurt-{ord(instead)}"

    def replaced(error: UnicodeError) -> tuple[str, int]:
        assert isinstance(error, UnicodeEncodeError)
        return instead * (error.end - error.start), error.end

    codecs.register_error(name, replaced)
    return name


def _decoded(stream: IO[bytes], codec: str) -> Iterator[bytes]:
    """Yield a file in UTF-8, without a byte order mark; what the encoding does not have becomes U+FFFD."""
    stream.seek(0)
    decoder = codecs.getincrementaldecoder("utf-16" if codec == "utf-16-le" else codec)("replace")
    while piece := stream.read(PIECE):
        yield decoder.decode(piece).encode()
    yield decoder.decode(b"", final=True).encode()
