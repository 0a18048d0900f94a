"""CSV: lines of cells, by default as in RFC 4180 (comma, CRLF, a header line)."""

from __future__ import annotations

from yurt.core.formats.csv.formats import delimited

FORMAT = delimited("csv", (".csv",), "lines of cells, as in RFC 4180", "comma")
