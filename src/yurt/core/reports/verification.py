"""The report of `verify` as lines of text, each of which has parts with a tone."""

from __future__ import annotations

from collections.abc import Iterator

from yurt.core.text.words import plural, visible
from yurt.core.verify.summary import Read, Summary
from yurt.core.verify.violation import Example

SHOWN = 20
LONGEST = 80
# A part of a line, and its tone: good, bad, strong, faint, or none.
Part = tuple[str, str]


def lines(summary: Summary) -> Iterator[list[Part]]:
    """Yield the report: one line per file, then each kind of violation with examples, then what was not checked."""
    for report in summary.reports:
        found = sum(each.count for each in summary.groups if each.record == report.record)
        yield from _file(report, found, report.record in summary.empty)
    for name in summary.absent:
        yield [(f"{name}: ", ""), ("not there", "bad")]
    for group in summary.groups:
        yield []
        yield [(f"{group.count:>9,}  {group.record}.{group.field}", "strong"), (f"  {group.rule}", "")]
        for one in group.examples:
            yield [(f"           {_place(one)}: {_cut(one.value)}; expected {one.expected}", "")]
    yield from _cases(summary)
    notes = list(summary.notes)
    if notes:
        yield []
    for note in notes:
        yield [(note, "faint")]


def text_of(summary: Summary) -> str:
    """Return the report as plain text."""
    return "\n".join("".join(text for text, _ in line) for line in lines(summary))


def _file(report: Read, found: int, empty: bool) -> Iterator[list[Part]]:
    faults = f", {plural(len(report.faults), 'fault')} of the file" if report.faults else ""
    wrong = bool(found or faults)
    words = f"{plural(found, 'violation')}{faults}" if wrong else report.otherwise
    tone = "bad" if wrong or empty else "good"
    yield [(f"{report.name}: {plural(report.rows, report.record + ' row')}, ", ""), (words, tone)]
    for fault in report.faults[:SHOWN]:
        place = f"line {fault.line:,}: " if fault.line is not None else ""
        yield [(f"  {place}{fault.message}", "")]
    if len(report.faults) > SHOWN:
        yield [(f"  … and {len(report.faults) - SHOWN:,} more", "")]


def _cases(summary: Summary) -> Iterator[list[Part]]:
    if summary.blind:
        yield []
        yield [("no label can be checked", "bad")]
    if not summary.cases:
        return
    wrong = len(summary.unexpected)
    words = "every label is correct" if not wrong else f"{wrong:,} have a wrong label"
    yield []
    yield [(f"{plural(summary.cases, 'case')}: ", ""), (words, "bad" if wrong else "good")]
    for each in summary.unexpected[:SHOWN]:
        yield [(f"  {each.case}: the label says {each.said}; found: {each.found}", "")]


def _place(one: Example) -> str:
    place = f"line {one.line:,}" if one.line is not None else f"row {one.row + 1:,}"
    if one.line is not None and not one.alone:
        place += f", row {one.row + 1:,}"
    return place + (f", value {one.element + 1:,} of the list" if one.element is not None else "")


def _cut(text: str) -> str:
    plain = visible(text)
    return plain if len(plain) <= LONGEST else plain[: LONGEST - 1] + "…"
