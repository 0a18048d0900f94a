"""The values of a table, as the validator takes them: what each is depends on the type of its column."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

import numpy as np
import pyarrow as pa

from yurt.core.base import compute as pc
from yurt.core.base.arrays import flags, joined
from yurt.core.databases.common.structure import Structure
from yurt.core.formats.common.columnar import raw_of
from yurt.core.formats.common.raw import (
    BOOLEAN,
    NULL,
    NUMBER,
    STRING,
    Block,
    Raw,
    Reading,
    absent,
    meant,
    of_values,
)  # fmt: skip
from yurt.core.formats.common.tree import leaf_names
from yurt.core.formats.json.reading import DECODER
from yurt.core.model import ListOf, Record
from yurt.core.text.forms import text_of

SORTS = {"integer": NUMBER, "decimal": NUMBER, "real": NUMBER, "boolean": BOOLEAN}
# The date that is put in front of a time to read it, and the length of what comes before the time.
DAY, LENGTH = "1970-01-01 ", 11


def of_texts(texts: pa.Array, kind: str) -> Raw:
    """Return a column that comes as texts; `kind` is the type of its values."""
    if kind in ("datetime", "time"):
        # Databases write any number of places of a second, and a space between date and time.
        try:
            whole = joined(DAY, texts) if kind == "time" else texts
            read = text_of(pc.cast(whole, pa.timestamp("us")))
            texts = pc.utf8_slice_codeunits(read, LENGTH) if kind == "time" else read
        except pa.ArrowInvalid:
            return _sorted(texts, STRING)
    if kind == "zoned":
        texts = pc.replace_substring_regex(texts, pattern=r"^(\S+) (\S+?)([+-]\d\d)$", replacement=r"\1T\2\3:00")
        texts = pc.replace_substring_regex(texts, pattern=r"^(\S+) (\S+)$", replacement=r"\1T\2")
    if kind == "boolean":
        texts = pc.replace_substring_regex(texts, pattern="^1$", replacement="true")
        texts = pc.replace_substring_regex(texts, pattern="^0$", replacement="false")
    return _sorted(texts, SORTS.get(kind, STRING))


def of_objects(values: Sequence[object], kind: str) -> Raw:
    """Return a column of Python's own objects, which need not all be of one type."""
    if kind == "boolean":
        values = [bool(each) if each in (0, 1) and each is not None else each for each in values]
    try:
        column = pa.array(values)
    except (pa.ArrowInvalid, pa.ArrowTypeError, OverflowError):
        column = None
    if column is not None and not pa.types.is_binary(column.type):
        return raw_of(column)
    sorts = np.fromiter(map(_sort, values), dtype=np.uint8, count=len(values))
    return Raw(pa.array(list(map(_text, values)), pa.string()), sorts)


def _sort(value: object) -> int:
    if value is None:
        return NULL
    if isinstance(value, bool):
        return BOOLEAN
    return NUMBER if isinstance(value, int | float) else STRING


def _text(value: object) -> str | None:
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, bytes):
        return value.hex()
    return None if value is None else str(value)


def _sorted(texts: pa.Array, sort: int) -> Raw:
    sorts = np.full(len(texts), sort, dtype=np.uint8)
    if texts.null_count:
        sorts[~flags(pc.is_valid(texts))] = NULL
    return Raw(texts, sorts)


def blocks(
    found: Iterator[Mapping[str, Raw]], record: Record, structure: Structure, reading: Reading, labels: tuple[str, ...]
) -> Iterator[Block]:  # fmt: skip
    """Yield the blocks of a table; a column per field, named by the path of the field."""
    names = {record.column(name): name for name in leaf_names(record)}
    names |= {label: f"@{label}" for label in labels if label not in names}
    lists = {each.name for each in record.shown if isinstance(each.head, ListOf)}
    strangers = [each for each in structure.columns if each not in names]
    reading.strangers |= {each: meant(each, names) for each in strangers}
    for columns in found:
        size = len(next(iter(columns.values())).sorts)
        own = {name: columns.get(title, None) for title, name in names.items()}
        whole = {name: absent(size) if each is None else each for name, each in own.items()}
        for name in lists & {each for each, there in own.items() if there is not None}:
            whole[name] = of_values([_list(each) for each in whole[name].texts.to_pylist()])
        yield Block(size, whole)


def _list(text: str | None) -> object:
    """Return the list that a text in JSON is."""
    try:
        return None if text is None else DECODER.decode(text)
    except ValueError:
        return text
