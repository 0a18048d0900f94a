"""Value lists: in the schema itself, or in a CSV or text file beside it."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence as Sequence_
from decimal import Decimal
from pathlib import PurePath

from yurt.core.base.data_classes import replace
from yurt.core.base.nearest import did_you_mean
from yurt.core.grammar.values import canonical
from yurt.core.model import Field, FromList, Record, ValueList
from yurt.core.source.diagnostics import Findings, Span
from yurt.core.source.named_files import NamedFiles, Unreadable
from yurt.core.source.nodes import Mapping, Node, Scalar, Sequence

MAX_BYTES = 64_000_000
MAX_ROWS = 1_000_000
# The column of a list of plain values.
VALUE = "value"
KEYS = ("file", "rows", "weight")
NONE = ValueList({})
TABLES = {".csv": ",", ".tsv": "\t"}


def optional_where_empty(records: dict[str, Record], lists: dict[str, ValueList]) -> dict[str, Record]:
    """Return record types whose fields may have no value if their column of a value list has empty cells."""

    def has_gaps(field: Field) -> bool:
        heads = (phrase.head for phrase in field.phrases)
        return any(isinstance(each, FromList) and lists.get(each.name, NONE).gaps(each.column) for each in heads)

    return {
        name: replace(
            record, fields=tuple(replace(each, optional=True) if has_gaps(each) else each for each in record.fields)
        )
        if any(map(has_gaps, record.fields))
        else record
        for name, record in records.items()
    }


class Lists:
    """Reads value lists, in the schema and in `files`; mistakes go to `findings`."""

    def __init__(self, findings: Findings, files: NamedFiles) -> None:
        self.findings = findings
        self.files = files

    def read(self, node: Node) -> ValueList | None:
        """Return the list that a node describes; None if a mistake has been noted."""
        if isinstance(node, Scalar):
            return None if node.broken else self.file(node.text.text, node.span)
        if isinstance(node, Sequence):
            return self._written_out(node)
        found = {key.text.text: value for key, value in node}
        for key, _ in node:
            if key.text.text not in KEYS:
                hint = did_you_mean(key.text.text, KEYS)
                self.findings.error(f"unknown key `{key.text.text}` in a list", key.span, ", ".join(KEYS), hint)
        path, rows, weight = (found.get(each) for each in KEYS)
        written = isinstance(rows, Sequence) and path is None
        named = isinstance(path, Scalar) and rows is None
        if not (written or named) or not (weight is None or isinstance(weight, Scalar)):
            self.findings.error("a list needs `file:` or `rows:`", node.span, "{file: routes.csv, weight: share}")
            return None
        listed = self._written_out(rows) if isinstance(rows, Sequence) else None
        listed = self.file(path.text.text, path.span) if isinstance(path, Scalar) else listed
        return self._weighted(listed, weight) if listed is not None and weight is not None else listed

    def file(self, name: str, span: Span) -> ValueList | None:
        """Return the list in a file: the columns of a CSV file with a header line, or the lines of any other."""
        try:
            text = self.files.content(name, MAX_BYTES, "a CSV or text file beside the schema").decode("utf-8-sig")
        except UnicodeDecodeError as fault:
            self.findings.error(f"{name} is not UTF-8 text (byte {fault.start + 1:,})", span)
            return None
        except Unreadable as fault:
            self.findings.error(str(fault), span, fault.expected, fault.hint)
            return None
        suffix = PurePath(name).suffix.lower()
        if suffix in TABLES:
            return self._table(name, text, TABLES[suffix], span)
        lines = [line.rstrip("\r") for line in text.split("\n") if line.strip()]
        return self._columns({VALUE: lines}, name, span)

    def _table(self, name: str, text: str, delimiter: str, span: Span) -> ValueList | None:
        try:
            lines = [
                line for line in csv.reader(io.StringIO(text, newline=""), delimiter=delimiter, strict=True) if line
            ]
        except csv.Error as fault:
            self.findings.error(f"{name} is not CSV: {fault}", span)
            return None
        if not lines:
            self.findings.error(f"{name} is empty", span, "a header line, and a line for each row")
            return None
        header, *rows = lines
        for number, row in enumerate(rows, start=2):
            if len(row) != len(header):
                message = f"{name}, record {number}: {len(row)} cells, and the header has {len(header)}"
                self.findings.error(message, span)
                return None
        if len(set(header)) < len(header):
            self.findings.error(f"two columns of {name} have the same name", span)
            return None
        return self._columns({title: [row[at] for row in rows] for at, title in enumerate(header)}, name, span)

    def _written_out(self, node: Sequence) -> ValueList | None:
        if all(isinstance(each, Scalar) for each in node.items):
            return self._columns(
                {VALUE: [each.text.text for each in node.items if isinstance(each, Scalar)]}, "the list", node.span
            )
        columns: dict[str, list[str]] = {}
        for number, each in enumerate(node.items):
            cells = {key.text.text: value for key, value in each} if isinstance(each, Mapping) else {}
            wrong = [value for value in cells.values() if not isinstance(value, Scalar)]
            if not cells or wrong or (number and list(cells) != list(columns)):
                expected = "rows that all have the same columns: - {name: Ridge, km: 12.5}"
                self.findings.error("this row does not fit the list", each.span, expected)
                return None
            for title, value in cells.items():
                columns.setdefault(title, []).append(value.text.text if isinstance(value, Scalar) else "")
        return self._columns(columns, "the list", node.span)

    def _columns(self, columns: dict[str, list[str]], name: str, span: Span) -> ValueList | None:
        rows = len(next(iter(columns.values()), []))
        if not rows or rows > MAX_ROWS:
            self.findings.error(f"{name} has {rows:,} rows", span, f"1 to {MAX_ROWS:,}")
            return None
        found, empty = {}, {}
        for title, cells in columns.items():
            gaps = frozenset(at for at, cell in enumerate(cells) if not cell)
            if len(gaps) == rows:
                message = f"the column `{title}` of {name} has no values" if title else f"{name} has no values"
                self.findings.error(message, span, "a value in at least one row")
                return None
            values = iter(canonical([cell for cell in cells if cell]))
            if gaps:
                empty[title] = gaps
            placed = [None if at in gaps else next(values) for at in range(rows)]
            filler = next(each for each in placed if each is not None)
            found[title] = tuple(filler if each is None else each for each in placed)
        return ValueList(found, None, empty)

    def _weighted(self, listed: ValueList, weight: Scalar) -> ValueList | None:
        column = weight.text.text
        amounts = self.column(listed, column, weight.span)
        if amounts is None:
            return None
        numbers = [float(each) for each in amounts if isinstance(each, int | Decimal)]
        if listed.gaps(column) or len(numbers) < len(amounts) or min(numbers) < 0 or sum(numbers) <= 0:
            self.findings.error(
                f"the column `{column}` has no weights", weight.span, "numbers from 0, not all of them 0"
            )
            return None
        return replace(listed, weights=tuple(each / sum(numbers) for each in numbers))

    def column(self, listed: ValueList, name: str, span: Span) -> Sequence_[object] | None:
        """Return the values of a column; note an unknown one."""
        if name not in listed.columns:
            hint = did_you_mean(name, listed.columns)
            self.findings.error(f"the list has no column `{name}`", span, ", ".join(listed.columns), hint)
            return None
        return listed.columns[name]
