"""Records as literals of a programming language, ready to paste into a test."""

from __future__ import annotations

import pyarrow as pa

from yurt.core.base import compute as pc
from yurt.core.base.arrays import bytes_of, joined, word
from yurt.core.base.data_classes import dataclass, field
from yurt.core.formats.common.format import Format, TextFormat, finished
from yurt.core.formats.common.raw import NOTHING, Number, Value, written
from yurt.core.formats.common.settings import Chosen, complete
from yurt.core.formats.common.values import FIELDS
from yurt.core.text.forms import text_of

SHORT = {"\\": "\\\\", '"': '\\"', "\n": "\\n", "\r": "\\r", "\t": "\\t"}


@dataclass(frozen=True)
class Language:
    """How a language writes a list of records.

    `pair` joins a name and a value (empty: values only, in the order of the fields). `escape` writes a control
    character by its number, `more` what else a text must not contain.
    """

    begin: str
    end: str
    record: tuple[str, str]
    pair: str
    null: str
    true: str = "true"
    false: str = "false"
    items: tuple[str, str] = ("[", "]")
    escape: str = "\\u{:04x}"
    more: dict[str, str] = field(default_factory=dict)
    # What an integer beyond 32 bits, and a decimal, look like.
    long: str = "{}"
    exact: str = "{}"


def literal_format(name: str, suffix: str, meaning: str, language: Language) -> Format:
    """Return a format that is only written."""
    settings = (FIELDS,)
    writer = _Literals(language)

    def configured(chosen: Chosen) -> Format:
        return TextFormat(
            name=name, suffixes=(suffix,), meaning=meaning, read=None, settings=settings, configured=configured,
            opening=writer.opening, records=writer.records, separator=",\n", closing=f",\n{language.end}\n",
            finish=writer.literal, token=writer.token, cannot=writer.cannot, typed=True,
        )  # fmt: skip

    return configured(complete(name, settings, {}))


class _Literals:
    def __init__(self, language: Language) -> None:
        self.language = language

    def opening(self, _record: str, names: list[str]) -> str:
        comment = "" if self.language.pair else f"{', '.join(names)}\n"
        return self.language.begin.replace("NAMES", comment.rstrip("\n")) + "\n"

    def records(self, _record: str, batch: pa.RecordBatch, _first_row: int) -> pa.Array:
        begin, end = self.language.record
        parts: list[pa.Array | str] = []
        before = f"    {begin}"
        for name, column in zip(batch.schema.names, batch.columns, strict=True):
            label = self.quoted(name) + self.language.pair if self.language.pair else ""
            parts += [before + label, self.literal(column)]
            before = ", "
        return joined(*parts, end)

    def literal(self, column: pa.Array) -> pa.Array:
        """Return the values as literals."""
        kind, language = column.type, self.language
        if finished(column):
            return pc.cast(column, pa.string())
        if pa.types.is_list(kind):
            tokens = self.literal(pc.list_flatten(column))
            offsets = pc.subtract(column.offsets, column.offsets[0])
            begin, end = language.items
            texts = joined(begin, pc.binary_join(pa.ListArray.from_arrays(offsets, tokens), word(", ")), end)
        elif pa.types.is_boolean(kind):
            texts = pc.if_else(column, word(language.true), word(language.false))
        elif pa.types.is_decimal(kind) and language.exact != "{}":
            before, after = language.exact.split("{}")
            texts = joined(before, text_of(column), after)
        elif pa.types.is_integer(kind):
            before, after = language.long.split("{}")
            plain = text_of(column)
            texts = pc.if_else(pc.greater(pc.abs(column), 2**31 - 1), joined(before, plain, after), plain)
        elif pa.types.is_decimal(kind) or pa.types.is_floating(kind):
            texts = text_of(column)
        else:
            texts = joined('"', self._escaped(text_of(column)), '"')
        return pc.fill_null(pc.if_else(pc.is_valid(column), texts, word(language.null)), word(language.null))

    def token(self, value: Value) -> str | None:
        """Return one value as a literal."""
        language = self.language
        if value is None or value is NOTHING:
            return language.null
        if isinstance(value, bool):
            return language.true if value else language.false
        if isinstance(value, Number):
            return str(value)
        if isinstance(value, list):
            begin, end = language.items
            return begin + ", ".join(str(self.token(each)) for each in value) + end
        return self.quoted(str(value) if isinstance(value, str) else written(value))

    def cannot(self, value: Value) -> str:
        """Return why a value has no literal of its own; empty if it has."""
        if value is NOTHING:
            return "literals have all fields: a missing value is null"
        like_booleans = isinstance(value, bool) or (isinstance(value, Number) and value in (self.language.true, "0"))
        return "this language has 1 and 0 for Booleans" if self.language.true == "1" and like_booleans else ""

    def quoted(self, text: str) -> str:
        """Return a text as a literal."""
        return '"' + "".join(self._char(each) for each in text) + '"'

    def _char(self, char: str) -> str:
        known = {**SHORT, **self.language.more}
        return known.get(char, self.language.escape.format(ord(char)) if ord(char) < 32 else char)

    def _escaped(self, texts: pa.Array) -> pa.Array:
        data = bytes_of(texts)
        present = {chr(each) for each in set(data[data < 128].tolist())}
        special = [each for each in (*SHORT, *self.language.more) if each in present]
        controls = [each for each in sorted(present) if ord(each) < 32 and each not in SHORT]
        for char in (*special, *controls):
            texts = pc.replace_substring(texts, pattern=char, replacement=self._char(char))
        return texts
