"""Formats of lines and cells: they differ in their usual delimiter and in their settings."""

from __future__ import annotations

from yurt.core.formats.common.encodings import Encoding
from yurt.core.formats.common.format import Format, TextFormat
from yurt.core.formats.common.settings import Chosen, complete
from yurt.core.formats.csv.dialect import dialect_of, settings
from yurt.core.formats.csv.malformed import breaks
from yurt.core.formats.csv.reading import CellReader
from yurt.core.formats.csv.writing import CellWriter, cannot


def delimited(name: str, suffixes: tuple[str, ...], meaning: str, delimiter: str) -> Format:
    """Return a format of lines and cells with its usual delimiter."""
    known = settings(delimiter)

    def configured(chosen: Chosen) -> TextFormat:
        dialect = dialect_of(chosen)
        writer, reader = CellWriter(dialect), CellReader(dialect)
        encoding = Encoding(chosen["encoding"], chosen["unmappable"])
        return TextFormat(
            name=name, suffixes=suffixes, meaning=meaning, settings=known, configured=configured, encoding=encoding,
            opening=writer.opening, records=writer.records, separator=dialect.end, closing=dialect.end,
            finish=writer.cell, token=writer.token, cannot=cannot, read=reader.read, titles=reader.titles,
            breaks=breaks(dialect) if encoding.name == "utf-8" else (),
        )  # fmt: skip

    return configured(complete(name, known, {}))
