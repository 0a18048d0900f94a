"""Test cases as objects: complete records with an expected outcome."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any

from yurt.api.arguments import check_record_type, check_whole, run_options
from yurt.core.base.errors import UsageFault
from yurt.core.base.labels import ACCEPT, OUTCOMES
from yurt.core.base.nearest import did_you_mean
from yurt.core.cases import techniques
from yurt.core.cases.suite import Options, Suite, suite_of
from yurt.core.engine.run import RunOptions
from yurt.core.engine.structs import Layout
from yurt.core.formats.common.raw import NOTHING
from yurt.core.given.paths import put, take_out
from yurt.core.given.values import python_of
from yurt.core.model import Schema

STRENGTHS = ("1", "2", "3", "4", "5", "6", "7", "8", "9", "base", "all")


@dataclass(frozen=True, repr=False)
class Case:
    """A complete record that follows the schema except in its target, and what a program should do with it.

    `expected` is `accept`, `reject`, or `handle` where no rule decides. `rule` is the rule that it violates, empty if
    there is none; `reason` is a sentence.
    """

    id: str
    record_type: str
    values: dict[str, Any]
    expected: str
    rule: str
    reason: str
    technique: str
    target: str
    item: str

    @property
    def valid(self) -> bool:
        """Whether the record follows the schema."""
        return self.expected == ACCEPT

    def __repr__(self) -> str:
        return f"<Case {self.id}: {self.expected}>"

    def __str__(self) -> str:
        return f"{self.id}: {self.expected}: {self.reason}"


class Cases(list[Case]):
    """Cases in a list, with those that could not be made: their ids, with the reasons.

    `passed_over` is how many more there are that a limit kept out, and `why_passed` the reason.
    """

    left_out: dict[str, str]
    passed_over: int
    why_passed: str

    def __init__(
        self, cases: Sequence[Case], left_out: dict[str, str], passed_over: int = 0, why_passed: str = ""
    ) -> None:
        super().__init__(cases)
        self.left_out, self.passed_over, self.why_passed = left_out, passed_over, why_passed


@dataclass
class _Wanted:
    """The options of `cases`, checked."""

    techniques: Sequence[str] = ()
    targets: Sequence[str] = ()
    only: str | None = None
    limit: int | None = None
    strength: int | str = 2
    boundary: int = 2
    ids: Sequence[str] = ()
    faults: int = 1

    def options(self) -> Options:
        """Return the options of a suite. Raises UsageFault."""
        names = _texts("technique", self.techniques)
        for each in names:
            _among("technique", each, techniques.NAMES)
        if self.only is not None:
            _among("only", self.only, OUTCOMES)
        _among("strength", str(self.strength), STRENGTHS)
        _among("boundary", str(self.boundary), ("2", "3"))
        check_whole("limit", self.limit, 1, 10**6)
        check_whole("faults", self.faults, 1, 5)
        return Options(
            names or Options().techniques, self.boundary, _texts("target", self.targets), self.only or "", form="json",
            strength=str(self.strength), limit=self.limit or 0, hostile="hostile" in names,
            ids=frozenset(_texts("ids", self.ids)), faults=self.faults,
        )  # fmt: skip


def cases(
    schema: Schema,
    record_type: str,
    *,
    technique: str | Sequence[str] = (),
    target: str | Sequence[str] = (),
    only: str | None = None,
    limit: int | None = None,
    strength: int | str = 2,
    boundary: int = 2,
    ids: Sequence[str] = (),
    faults: int = 1,
    seed: int | None = None,
    today: date | None = None,
) -> Cases:
    """Return the test cases of a record type: boundaries, partitions, and invalid values, each with its outcome.

    `technique` and `target` (a field) take one name or several; `only` is an expected outcome; `limit` keeps the most
    valuable cases, and `ids` certain ones. `faults` is the number of faults in one record. The technique
    `combinatorial` returns an array of combinations of a `strength`. Values are those of `record`; an invalid one may
    be of another type, or absent. An independent validator has confirmed every case.

    >>> schema = read_text("{yurt: 1, seed: 1, records: {hut: {count: 9, fields: {beds: 'integer 8..140'}}}}")
    >>> for case in cases(schema, "hut", technique="boundary", only="reject"):
    ...     print(case.id, case.values, case.rule)
    beds/boundary/low-outside {'beds': 7} range
    beds/boundary/high-outside {'beds': 141} range
    """
    check_record_type(schema, record_type)
    wanted = _Wanted(
        (technique,) if isinstance(technique, str) else technique, (target,) if isinstance(target, str) else target,
        only, limit, strength, boundary, ids, faults,
    ).options()  # fmt: skip
    asked = run_options(seed, today, None)
    # A suite makes several runs, which must have one seed.
    own = asked.seed if asked.seed is not None else schema.seed
    asked = RunOptions(schema.drawn_seed if own is None else own, asked.today)
    suite = suite_of(schema, schema.records[record_type], asked, wanted)
    left_out = {each.id: why for each, why in (*suite.left_out, *suite.unsaid)}
    made = [_case(suite, at, values) for at, values in enumerate(_records(suite))]
    return Cases(made, left_out, suite.passed_over, suite.why_passed)


def _case(suite: Suite, at: int, values: dict[str, Any]) -> Case:
    told = suite.cases[at]
    return Case(told.id, suite.record.name, values, told.expected, told.violates, told.sentence, told.technique,
                told.target, told.coverage_item)  # fmt: skip


def _records(suite: Suite) -> list[dict[str, Any]]:
    """Return the records of the cases as Python values."""
    size, record = len(suite.cases), suite.record
    columns = Layout(suite.rows.rows, record.shown, size, True, True).columns("", "")
    found: list[dict[str, Any]] = [{} for _ in range(size)]
    for title, column in columns:
        for row, value in zip(found, column.to_pylist(), strict=True):
            row[title] = value
    for name, values in suite.rows.values.items():
        for at, value in values.items():
            if value is NOTHING:
                take_out(record, found[at], name)
            else:
                put(record, found[at], name, python_of(value))
    return found


def _texts(name: str, values: Any) -> tuple[str, ...]:
    if isinstance(values, str):
        return (values,)
    if not isinstance(values, Sequence | set | frozenset) or not all(isinstance(each, str) for each in values):
        raise UsageFault(f"`{name}` is {values!r}, not a name or a list of names")
    return tuple(values)


def _among(name: str, value: Any, known: Sequence[str]) -> None:
    if value not in known:
        raise UsageFault(f"`{name}` cannot be {value!r}; {did_you_mean(str(value), known) or ', '.join(known)}")
