"""Lines of comma-separated cells as columns of texts."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pyarrow as pa
from pyarrow import csv

from yurt.core.formats.csv.dialect import Dialect


def texts_of(
    data: memoryview, header: list[str], wanted: list[str], refuse: Callable[[Any], str] | None, dialect: Dialect
) -> pa.Table:  # fmt: skip
    """Return the wanted columns of complete lines as texts; the dialect's text of a missing value is null.

    `refuse` gets each line with a wrong number of cells and says whether to continue. Without it, such a line raises
    ArrowInvalid, as do bytes that are not UTF-8. With it, the bytes must be UTF-8, because Arrow would print a message
    about an invalid line on the screen.
    """
    return csv.read_csv(
        pa.BufferReader(pa.py_buffer(data)),
        csv.ReadOptions(block_size=len(data) + 1, use_threads=False, column_names=header),
        # In a single column, an empty line is a row with a missing value.
        csv.ParseOptions(
            delimiter=dialect.delimiter, quote_char=dialect.quote, double_quote=dialect.doubled,
            escape_char=False if dialect.doubled else "\\", newlines_in_values=True, invalid_row_handler=refuse,
            ignore_empty_lines=len(header) > 1,
        ),
        csv.ConvertOptions(
            column_types={each: pa.string() for each in header}, include_columns=wanted,
            null_values=[dialect.null], strings_can_be_null=True, quoted_strings_can_be_null=False,
        ),
    )  # fmt: skip
