"""The result of a verification, in groups: by record type, field, and rule, with examples of each."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from yurt.core.base import data_classes
from yurt.core.base.data_classes import dataclass
from yurt.core.base.json_object import JsonObject
from yurt.core.base.labels import REJECT
from yurt.core.formats.common.raw import Fault
from yurt.core.verify.verification import Report, Verification
from yurt.core.verify.violation import RULES, TOGETHER, Example


@dataclass
class Group:
    """All violations of one rule at one field."""

    record: str
    field: str
    rule: str
    count: int = 0
    examples: list[Example] = data_classes.field(default_factory=list)


@dataclass(frozen=True)
class Read:
    """A file that was read."""

    record: str
    name: str
    rows: int
    faults: list[Fault]
    strangers: dict[str, str]
    kept: int
    cases: bool = False
    # The number of rows of which something could not be computed.
    unsure: int = 0

    @property
    def otherwise(self) -> str:
        """The report on a file without violations."""
        if not self.rows:
            return "no rows to check"
        if self.cases:
            return "cases with labels"
        if self.unsure:
            return f"no violations found, {self.unsure:,} row{'s' * (self.unsure > 1)} not checked as a whole"
        return "all valid"


@dataclass(frozen=True)
class Unexpected:
    """A case with a wrong label: its outcome, and the actual result."""

    case: str
    row: int
    said: str
    found: str


@dataclass
class Summary:
    """The whole report."""

    reports: list[Read]
    groups: list[Group]
    unjudged: dict[str, str]

    # The number of cases that were compared with their labels, and those with a wrong label.
    cases: int = 0
    unexpected: list[Unexpected] = data_classes.field(default_factory=list)
    # The record types of which there is no row although the schema requires some, and those without a file or table
    # in a folder or database that is validated as a whole.
    empty: list[str] = data_classes.field(default_factory=list)
    absent: list[str] = data_classes.field(default_factory=list)

    @property
    def clean(self) -> bool:
        """Whether there are rows, and no violations; of cases, whether every one matches its label."""
        wrong = self.groups or self.unexpected or self.empty or self.absent or self.blind
        return not wrong and not any(each.faults for each in self.reports)

    @property
    def blind(self) -> bool:
        """Whether there are cases, and none of their labels can be checked."""
        return not self.cases and any(each.cases for each in self.reports)

    @property
    def notes(self) -> Iterator[str]:
        """Further remarks: unknown names, what was not checked, the memory used."""
        for each in self.reports:
            if each.strangers:
                words = [
                    f"`{name}`" + (f" (did you mean `{near}`?)" if near else "")
                    for name, near in each.strangers.items()
                ]
                names = ", ".join(words[:6]) + (", …" if len(each.strangers) > 6 else "")
                yield f"{each.name}: the schema has no field for {names}"
        for what, reason in self.unjudged.items():
            yield f"not checked: {what}: {reason}"
        if (kept := sum(each.kept for each in self.reports)) > 1_000_000:
            yield f"{kept / 1e6:,.1f} MB were kept to compare rows: unique values and keys"

    def as_data(self) -> JsonObject:
        """Return everything as plain data, rows counted from 1."""
        files = {each.record: each.name for each in self.reports}
        return {
            "clean": self.clean,
            "files": [
                {
                    "record": each.record, "file": each.name, "rows": each.rows,
                    "faults": [{"line": fault.line, "message": fault.message} for fault in each.faults],
                    "unknown fields": list(each.strangers),
                }
                for each in self.reports
            ],
            "violations": [
                {
                    "record": each.record, "file": files[each.record], "field": each.field, "rule": each.rule,
                    "count": each.count,
                    "examples": [
                        {"row": one.row + 1, "line": one.line,
                         "element": None if one.element is None else one.element + 1, "value": one.value,
                         "expected": one.expected}
                        for one in each.examples
                    ],
                }
                for each in self.groups
            ],
            "no rows": self.empty,
            "not there": self.absent,
            "not checked": self.unjudged,
            "cases": self.cases,
            "cases with a wrong label": [
                {"case": each.case, "row": each.row + 1, "said": each.said, "found": each.found}
                for each in self.unexpected
            ],
        }  # fmt: skip


def summed_up(
    verification: Verification, limit: int, progress: Callable[[int], None], whole: bool = False
) -> Summary:  # fmt: skip
    """Run a verification; keep `limit` examples of each kind of violation, and the violations in each row of a case.

    `whole` means that every record type must be there: the data are a folder or a database.
    """
    groups: dict[tuple[str, str, str], Group] = {}
    broken: dict[str, dict[int, list[tuple[str, str]]]] = {}
    for each in verification.run(progress):
        if verification.reports[each.record].labels:
            for row in each.rows.tolist():
                broken.setdefault(each.record, {}).setdefault(row, []).append((each.field, each.rule))
            continue
        group = groups.setdefault((each.record, each.field, each.rule), Group(each.record, each.field, each.rule))
        group.count += len(each.rows)
        group.examples += each.examples(0, limit - len(group.examples))
    for name, report in verification.reports.items():
        examples = [one for group in groups.values() if group.record == name for one in group.examples]
        near = {row for one in examples for row in (one.row - 1, one.row, one.row + 1) if 0 <= row < report.rows}
        lines = report.lines_of(sorted(near)) if near else {}
        for one in examples:
            one.line = lines.get(one.row)
            one.alone = one.line not in (lines.get(one.row - 1), lines.get(one.row + 1))
    labelled = {name: each for name, each in verification.reports.items() if each.labels}
    unseen = {name: _unseen(each, broken.get(name, {})) for name, each in labelled.items()}
    names = list(verification.schema.records)
    ordered = sorted(groups.values(), key=lambda each: (names.index(each.record), -each.count, RULES.index(each.rule)))
    return Summary(
        [
            Read(
                name, each.data.name, each.rows, each.faults, each.strangers, each.kept, bool(each.labels), each.unsure
            )
            for name, each in verification.reports.items()
        ],
        ordered,
        {what: why for each in verification.reports.values() for what, why in each.unjudged.items()}
        | {what: why for name, each in unseen.items() for what, why in _told(name, each).items()},
        sum(len(each.labels) - len(unseen[name]) for name, each in labelled.items()),
        [one for name, each in labelled.items() for one in _unexpected(each, broken.get(name, {}), {*unseen[name]})],
        [name for name, each in verification.reports.items() if not each.rows and _needs_rows(name, verification)],
        [name for name in names if name not in verification.data] if whole and verification.whole else [],
    )


def _needs_rows(name: str, verification: Verification) -> bool:
    """Return whether a record type without rows is not as the schema says: it is not that of parents without rows."""
    count = verification.schema.records[name].count
    above = verification.reports.get(count.per) if count.per is not None else None
    may_be_none = not count.combinations and not count.low
    return verification.whole and not may_be_none and (above is None or above.rows > 0)


def _unseen(report: Report, broken: dict[int, list[tuple[str, str]]]) -> dict[int, tuple[str, str]]:
    """Return the cases that cannot be compared with their labels, by row: the ID, and why."""
    return {
        label.row: (label.id, why)
        for label in report.labels
        if label.expected == REJECT
        and label.row not in broken
        and (why := report.why_not(label.target, label.violates))
    }


def _told(name: str, unseen: dict[int, tuple[str, str]]) -> dict[str, str]:
    """Return what is said of cases that cannot be compared with their labels, with the reasons."""
    by_why: dict[str, list[str]] = {}
    for case, why in unseen.values():
        by_why.setdefault(why, []).append(case)
    return {
        f"{name}, the label of {ids[0]}" + (f" and {len(ids) - 1:,} more" if len(ids) > 1 else ""): why
        for why, ids in by_why.items()
    }


def _unexpected(report: Report, broken: dict[int, list[tuple[str, str]]], unseen: set[int]) -> Iterator[Unexpected]:
    """Yield the cases that break something other than their labels say; with several faults, the first is named."""
    for label in report.labels:
        if label.row in unseen:
            continue
        seen = sorted(broken.get(label.row, []), key=lambda each: RULES.index(each[1]))
        right = not seen if label.expected != REJECT else seen[:1] == [(label.target, label.violates)]
        if not right or len(seen) > len(label.item.split(TOGETHER)):
            said = label.expected if label.expected != REJECT else f"{label.target} breaks {label.violates}"
            told = "; ".join(f"{field} breaks {rule}" for field, rule in seen)
            yield Unexpected(label.id, label.row, said, told or "nothing is wrong")
