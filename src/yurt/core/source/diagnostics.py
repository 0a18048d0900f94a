"""Mistakes in a schema: where they are, what was expected, what to write instead."""

from __future__ import annotations

from bisect import bisect_right
from functools import cached_property

from yurt.core.base.data_classes import dataclass, field, replace
from yurt.core.base.errors import YurtError
from yurt.core.base.json_object import JsonObject


@dataclass(frozen=True)
class Span:
    """A stretch of the schema file, as character offsets `start` to `end` (exclusive)."""

    start: int
    end: int

    def __lt__(self, other: Span) -> bool:
        return (self.start, self.end) < (other.start, other.end)


NOWHERE = Span(0, 0)
# The maximum number of characters of a line or message, of those before the mark, and of mistakes in a report.
LONGEST, BEFORE, MOST = 200, 60, 20
ADVICE = 1000


@dataclass(frozen=True)
class Source:
    """The text of a schema file and its name in messages.

    Included files are appended: `parts` has the offset and the name of each. If the text was made from given lines,
    `above` lines and `indent` characters of each are not the user's own.
    """

    name: str
    text: str
    parts: tuple[tuple[int, str], ...] = ()
    above: int = 0
    indent: int = 0

    @cached_property
    def _line_starts(self) -> list[int]:
        return [0, *(at + 1 for at, char in enumerate(self.text) if char == "\n")]

    @property
    def own_text(self) -> str:
        """The text without included files."""
        return self.text[: self.parts[0][0] - 1] if self.parts else self.text

    def with_part(self, name: str, text: str) -> Source:
        """Return the source with another file appended."""
        behind = (*self.parts, (len(self.text) + 1, name))
        return Source(self.name, f"{self.text}\n{text}", behind, self.above, self.indent)

    def place(self, offset: int) -> str:
        """Return file, line, and column of a character offset, as at the start of messages."""
        start, name = max(
            (part for part in ((0, self.name), *self.parts) if part[0] <= offset), key=lambda part: part[0]
        )
        line, column = self.line_and_column(offset)
        above = self.above if not start else 0
        return f"{name}:{max(line - self.line_and_column(start)[0] + 1 - above, 1)}:{column - self.cut(offset)}"

    def cut(self, offset: int) -> int:
        """Return how many characters at the start of a line are not the user's own."""
        own = not self.parts or offset < self.parts[0][0]
        return min(self.indent, self.line_and_column(offset)[1] - 1) if own else 0

    def line_and_column(self, offset: int) -> tuple[int, int]:
        """Return the line and column of a character offset, both counted from 1."""
        line = bisect_right(self._line_starts, offset)
        return line, offset - self._line_starts[line - 1] + 1

    def line(self, number: int) -> str:
        """Return a line by its number, without the line break."""
        start = self._line_starts[number - 1]
        end = self.text.find("\n", start)
        return self.text[start : end if end >= 0 else len(self.text)].rstrip("\r")


@dataclass(frozen=True)
class Diagnostic:
    """One mistake (or warning) at one place, with advice."""

    message: str
    span: Span = NOWHERE
    expected: str | None = None
    hint: str | None = None
    severity: str = "error"

    def render(self, source: Source) -> str:
        """Return the mistake as text: place and message, the line, a mark under the spot, and advice."""
        number, column = source.line_and_column(self.span.start)
        shown_number = source.place(self.span.start).split(":")[-2]
        word = "" if self.severity == "error" else f"{self.severity}: "
        lines = [f"{source.place(self.span.start)}: {word}{self.message}"]
        cut = source.cut(self.span.start)
        shown, column = _cut_around(source.line(number)[cut:], column - cut)
        if shown.strip():
            width = max(1, min(self.span.end - self.span.start, len(shown) - column + 1))
            gutter = " " * len(shown_number)
            # A tab in front keeps its width, so that the mark stays under its spot.
            lead = "".join("\t" if char == "\t" else " " for char in shown[: column - 1])
            lines += [f"  {shown_number} | {shown}", f"  {gutter} | {lead}{'^' * width}"]
        lines += [f"    expected: {shortened(self.expected)}"] if self.expected else []
        lines += [f"    hint: {shortened(self.hint)}"] if self.hint else []
        return "\n".join(lines)

    def as_data(self, source: Source) -> JsonObject:
        """Return the mistake as plain data, with its place."""
        file, line, column = source.place(self.span.start).rsplit(":", 2)
        return {
            "file": file, "line": int(line), "column": int(column), "message": self.message,
            "expected": self.expected, "hint": self.hint,
        }  # fmt: skip


def shortened(text: str) -> str:
    """Return a text without its middle, if it is long."""
    return text if len(text) <= ADVICE else f"{text[:LONGEST]} … {text[-LONGEST // 4 :]}"


def _cut_around(line: str, column: int) -> tuple[str, int]:
    """Return the part of a long line around a column, and the column in that part."""
    if len(line) <= LONGEST:
        return line, column
    start = max(0, min(column - 1 - BEFORE, len(line) - LONGEST))
    before, after = "…" if start else "", "…" if start + LONGEST < len(line) else ""
    return before + line[start : start + LONGEST] + after, column - start + len(before)


def _once_a_line(source: Source, diagnostics: list[Diagnostic]) -> list[Diagnostic]:
    """Return mistakes without repetitions within a line, such as a misspelt name in a long expression."""
    groups: dict[tuple[int, str, str | None], list[Diagnostic]] = {}
    for each in diagnostics:
        key = source.line_and_column(each.span.start)[0], each.message, each.hint
        groups.setdefault(key, []).append(each)
    return [
        replace(group[0], message=f"{group[0].message} ({len(group)} times in this line)") if group[1:] else group[0]
        for group in groups.values()
    ]


class SchemaFault(YurtError):
    """An unusable schema, with every mistake found in it."""

    def __init__(self, source: Source, diagnostics: list[Diagnostic]) -> None:
        self.source = source
        self.diagnostics = _once_a_line(source, sorted(diagnostics, key=lambda each: each.span))
        told = [each.render(source) for each in self.diagnostics[:MOST]]
        if self.more:
            told.append(f"… and {self.more:,} more mistake{'s' * (self.more != 1)}")
        super().__init__("\n\n".join(told))

    @property
    def findings(self) -> list[JsonObject]:
        """Every mistake as plain data: file, line, column, message, and what was expected."""
        return [each.as_data(self.source) for each in self.diagnostics]

    @property
    def more(self) -> int:
        """The number of mistakes that are not shown."""
        return max(0, len(self.diagnostics) - MOST)


@dataclass
class Findings:
    """Collects the mistakes and warnings of one schema."""

    source: Source
    errors: list[Diagnostic] = field(default_factory=list)
    warnings: list[Diagnostic] = field(default_factory=list)
    unreadable: set[Span] = field(default_factory=set)  # fields whose own line is at fault
    spots: set[int] = field(default_factory=set)
    incomplete: bool = False  # whether a file with definitions could not be read

    def error(
        self, message: str, span: Span, expected: str | None = None, hint: str | None = None, unknown: bool = False
    ) -> None:
        """Note a mistake. The same spot is reported once: the first message is the cause.

        A name is not `unknown` for certain if a file that may define it could not be read.
        """
        if span.start not in self.spots and not (unknown and self.incomplete):
            self.spots.add(span.start)
            self.errors.append(Diagnostic(shortened(message), span, expected, hint))

    def at_fault(self, span: Span) -> bool:
        """Return whether a mistake is within a stretch of the file: its consequences are not reported."""
        return any(span.start <= each < span.end for each in self.spots)

    def warn(self, message: str, span: Span, hint: str | None = None) -> None:
        """Note something that is valid but probably not intended."""
        self.warnings.append(Diagnostic(message, span, None, hint, "warning"))

    def raise_if_any(self) -> None:
        """Raise SchemaFault with all mistakes noted so far, if there are any."""
        if self.errors:
            raise SchemaFault(self.source, self.errors)
