"""Files of lines and cells that are malformed on purpose."""

from __future__ import annotations

import re

from yurt.core.base.data_classes import dataclass
from yurt.core.formats.common.breaks import ANY, Break, byte_order_mark
from yurt.core.formats.csv.dialect import Dialect


@dataclass(frozen=True)
class Malformed:
    """Changes the bytes of a sound file in a dialect."""

    end: bytes
    delimiter: bytes
    quote: bytes

    def open_quote(self, data: bytes, record: str) -> bytes:
        lines = self._lines(data)
        lines[1] = self.quote + lines[1].replace(self.quote, b"")
        return self.end.join(lines)

    def cut_off(self, data: bytes, record: str) -> bytes | None:
        """Cut in front of the last separator, so that a cell is missing."""
        lines = self._lines(data.rstrip(self.end))
        at = data.rfind(self.delimiter)
        return data[:at] if at > len(data) - len(lines[-1]) - len(self.end) - 1 and len(lines) > 1 else None

    def missing_column(self, data: bytes, record: str) -> bytes | None:
        lines = self._lines(data)
        if self.delimiter not in lines[1]:
            return None
        return self.end.join([lines[0], self._shorter(lines[1]), *lines[2:]])

    def extra_column(self, data: bytes, record: str) -> bytes:
        lines = self._lines(data)
        lines[1] += self.delimiter + b"one more"
        return self.end.join(lines)

    def no_header(self, data: bytes, record: str) -> bytes:
        return self.end.join(self._lines(data)[1:])

    def two_headers(self, data: bytes, record: str) -> bytes:
        lines = self._lines(data)
        return self.end.join([lines[0], *lines])

    def same_name(self, data: bytes, record: str) -> bytes | None:
        lines = self._lines(data)
        names = lines[0].split(self.delimiter)
        if len(names) < 2:
            return None
        names[1] = names[0]
        return self.end.join([self.delimiter.join(names), *lines[1:]])

    def other_name(self, data: bytes, record: str) -> bytes:
        lines = self._lines(data)
        names = lines[0].split(self.delimiter)
        names[0] = names[0].rstrip(self.quote) + b"_x" + (self.quote if names[0].endswith(self.quote) else b"")
        return self.end.join([self.delimiter.join(names), *lines[1:]])

    def other_delimiter(self, data: bytes, record: str) -> bytes | None:
        other = b"," if self.delimiter == b";" else b";"
        return data.replace(self.delimiter, other) if self.delimiter in data else None

    def mixed_ends(self, data: bytes, record: str) -> bytes:
        lines = self._lines(data)
        return b"".join(line + (b"\n" if at % 2 else b"\r\n") for at, line in enumerate(lines[:-1]))

    def no_end(self, data: bytes, record: str) -> bytes:
        return data.rstrip(b"\r\n")

    def _lines(self, data: bytes) -> list[bytes]:
        return data.split(self.end)

    def _shorter(self, line: bytes) -> bytes:
        """Return a line without its first cell."""
        quote, delimiter = re.escape(self.quote), re.escape(self.delimiter)
        cell = rb"(?:%b(?:[^%b]|%b%b)*%b|[^%b]*)%b" % (quote, quote, quote, quote, quote, delimiter, delimiter)
        found = re.match(cell, line)
        return line[found.end() :] if found else line


def breaks(dialect: Dialect) -> tuple[Break, ...]:
    """Return the ways to make a file in a dialect malformed; a file without a header has fewer."""
    change = Malformed(*(each.encode() for each in (dialect.end, dialect.delimiter, dialect.quote)))
    name = {",": "comma", ";": "semicolon", "\t": "tab"}.get(dialect.delimiter, f"`{dialect.delimiter}`")
    of_header = (
        Break("missing-column", "reject", "a line has one cell fewer than the header", change.missing_column),
        Break("extra-column", "reject", "a line has one cell more than the header", change.extra_column),
        Break("no-header", "reject", "the header line is missing", change.no_header),
        Break("two-headers", "reject", "the header is repeated; the second one is not a record", change.two_headers),
        Break("doubled-name", "reject", "two columns have the same name", change.same_name),
        Break("renamed-column", "reject", "a column has another name, so one is missing", change.other_name),
    )
    separators = "semicolons" if dialect.delimiter == "," else "other-delimiter"
    # Without a header, an empty file is one without rows.
    return (
        *(each for each in ANY if each.fault != "cut-off" and (dialect.header or each.fault != "empty")),
        Break("cut-off", "reject", "the file ends inside a record", change.cut_off),
        Break("byte-order-mark", "accept", "a byte order mark is allowed at the start (RFC 3629, 6)", byte_order_mark),
        Break("open-quote", "reject", "a quote is never closed", change.open_quote),
        *(of_header if dialect.header else ()),
        Break(separators, "reject", f"a separator other than the {name}", change.other_delimiter),
        Break("mixed-line-ends", "accept", "lines end in two ways; both are common", change.mixed_ends),
        Break("no-last-line-end", "accept", "the last line may have no end (RFC 4180, 2.2)", change.no_end),
    )
