"""A table in Markdown, for a ticket or a document."""

from __future__ import annotations

import pyarrow as pa

from yurt.core.base import compute as pc
from yurt.core.base.arrays import joined, word
from yurt.core.formats.common.format import Format, TextFormat, finished
from yurt.core.formats.common.raw import NOTHING, Value, written
from yurt.core.formats.common.settings import Chosen, complete
from yurt.core.formats.common.values import VALUES
from yurt.core.text.forms import text_of

# What would end a cell or be taken for markup.
ESCAPED = r"([\\|`*_<>\[\]])"


def _cell(column: pa.Array) -> pa.Array:
    """Return the values as cells: a line end becomes a space."""
    texts = pc.cast(column, pa.string()) if finished(column) else text_of(column)
    kind = column.type
    if pa.types.is_string(kind) or pa.types.is_dictionary(kind) or pa.types.is_list(kind):
        texts = pc.replace_substring_regex(texts, pattern=ESCAPED, replacement=r"\\\1")
        texts = pc.replace_substring_regex(texts, pattern=r"\r\n|\r|\n", replacement=" ")
    return pc.fill_null(texts, word(""))


def _opening(_record: str, names: list[str]) -> str:
    cells = " | ".join(name.replace("|", "\\|") for name in names)
    return f"| {cells} |\n| {' | '.join('---' for _ in names)} |\n"


def _records(_record: str, batch: pa.RecordBatch, _first_row: int) -> pa.Array:
    cells = [_cell(each) for each in batch.columns]
    return joined("| ", joined(*cells, between=" | ") if len(cells) > 1 else cells[0], " |")


def _token(value: Value) -> str | None:
    if value is None or value is NOTHING:
        return None
    text = str(value) if isinstance(value, str) else written(value)
    for char in "\\|`*_<>[]":
        text = text.replace(char, f"\\{char}")
    return text.replace("\r\n", " ").replace("\n", " ").replace("\r", " ")


def _cannot(value: Value) -> str:
    if value == "":
        return "Markdown shows an empty text like a missing value"
    if isinstance(value, str) and (value != value.strip() or "\n" in value or "\r" in value):
        return "Markdown has no line ends in a cell, and no spaces at its edges"
    return "" if isinstance(value, str | None) else "Markdown has texts only"


def _configured(chosen: Chosen) -> Format:
    return TextFormat(
        name="markdown", suffixes=(".md",), meaning="a table for tickets and documents", read=None, settings=VALUES,
        configured=_configured, opening=_opening, records=_records, separator="\n", closing="\n", finish=_cell,
        token=_token, cannot=_cannot,
    )  # fmt: skip


FORMAT = _configured(complete("markdown", VALUES, {}))
