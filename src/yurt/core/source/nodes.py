"""The parts of a file as a person wrote it: every scalar with its characters, and the place of each."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

from yurt.core.base.data_classes import dataclass
from yurt.core.source.diagnostics import Span

if TYPE_CHECKING:
    from collections.abc import Iterator


@dataclass(frozen=True)
class Text:
    """Characters with the file offset of each; `at` has one more entry than `text`, for the end."""

    text: str
    at: tuple[int, ...]

    def span(self, start: int = 0, end: int | None = None) -> Span:
        """Return the span in the file of the characters from `start` to `end`."""
        end = len(self.text) if end is None else end
        first = self.at[min(start, len(self.text))]
        last = self.at[end - 1] + 1 if end > start else first
        return Span(first, max(first, last))

    def cut(self, start: int, end: int) -> Text:
        """Return the characters from `start` to `end`."""
        return Text(self.text[start:end], self.at[start : end + 1])

    def __add__(self, other: Text) -> Text:
        return Text(self.text + other.text, self.at[:-1] + other.at)

    def filler(self, characters: str) -> Text:
        """Return characters that are not in the file, placed at the end of this text."""
        return Text(characters, (self.at[-1],) * (len(characters) + 1))


@dataclass(frozen=True)
class Scalar:
    """A value as written."""

    text: Text
    style: str | None  # None is plain, else ' " | >
    broken: bool = False  # on a line that was already reported

    @property
    def span(self) -> Span:
        return self.text.span()


@dataclass(frozen=True)
class Mapping:
    """Keys and their values, in the order of the file."""

    entries: tuple[tuple[Scalar, Node], ...]
    span: Span
    flow: bool

    def __iter__(self) -> Iterator[tuple[Scalar, Node]]:
        return iter(self.entries)


@dataclass(frozen=True)
class Sequence:
    """A list of values."""

    items: tuple[Node, ...]
    span: Span
    flow: bool


Node = Scalar | Mapping | Sequence


# Surrogates, which a YAML escape may name one by one, but which cannot be part of a text.
HALF = re.compile("[\ud800-\udfff]")
