"""From a schema to the finished cases of a record type: derived, made, checked, and ready to be written."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable

import numpy as np

from yurt.core.base.data_classes import dataclass, field, replace
from yurt.core.base.errors import UsageFault, YurtError
from yurt.core.base.json_object import JsonObject
from yurt.core.base.labels import HANDLE, LABELS, OUTCOMES
from yurt.core.base.nearest import did_you_mean
from yurt.core.cases import techniques
from yurt.core.cases.case import Beside, Case, Const, Raw, Same, because, with_ids
from yurt.core.cases.doubtful import doubtful
from yurt.core.cases.earlier_children import in_order, torn, with_earlier_children
from yurt.core.cases.judging import judged
from yurt.core.cases.rows import CaseRows
from yurt.core.cases.stage import Stage
from yurt.core.cases.subject import Subject
from yurt.core.cases.value import hostile_third, most_valuable
from yurt.core.engine.lookup import Picked
from yurt.core.engine.run import Run, RunOptions
from yurt.core.formats import text_format
from yurt.core.formats.common.format import TextFormat
from yurt.core.formats.common.raw import NOTHING
from yurt.core.model import Nested, Record, Schema
from yurt.core.verify.known import OF_CASE, Known
from yurt.core.verify.validator import Validator
from yurt.core.verify.violation import RULES


@dataclass(frozen=True)
class Options:
    """The options of a suite."""

    techniques: tuple[str, ...] = tuple(name for name, each in techniques.by_name().items() if not each.asked)
    boundary: int = 2
    targets: tuple[str, ...] = ()
    only: str = ""
    repeat: int = 1
    form: str | TextFormat = "csv"
    strength: str = "2"
    stronger: tuple[tuple[tuple[str, ...], int], ...] = ()
    seeds: tuple[tuple[int, ...], ...] = ()
    faults: int = 1
    # Whether combinations also contain each invalid partition once, beside valid ones.
    invalid_parts: bool = False
    # Only cases with these ids, if there are any.
    ids: frozenset[str] = frozenset()
    # The maximum number of cases, the most valuable ones first; 0 for all.
    limit: int = 0
    # Whether more than a third of the cases may be hostile, because they were requested.
    hostile: bool = False

    @property
    def text_format(self) -> TextFormat:
        """The format of the records."""
        return text_format(self.form) if isinstance(self.form, str) else self.form


@dataclass
class Suite:
    """Cases with their records, the cases that could not be made, and those that the format cannot express."""

    record: Record
    cases: list[Case]
    rows: CaseRows
    left_out: list[tuple[Case, str]] = field(default_factory=list)
    unsaid: list[tuple[Case, str]] = field(default_factory=list)
    run: Run | None = None
    # Cases that were not requested, and why.
    passed_over: int = 0
    why_passed: str = ""
    # The record types of which the cases refer to more rows than a run has, and how many.
    roots: dict[str, int] = field(default_factory=dict)

    @property
    def outcomes(self) -> str:
        """The number of cases of each outcome, in words."""
        counts = {each: sum(case.expected == each for case in self.cases) for each in OUTCOMES}
        words = [f"{counts[each]:,} to {each}" for each in OUTCOMES if each != HANDLE or counts[each]]
        return ", ".join(words[:-1]) + " and " + words[-1]

    def as_data(self) -> JsonObject:
        """Return the summary as plain data: the cases, and what was left out with the reasons."""
        return {
            "record": self.record.name,
            "cases": len(self.cases),
            **{each: sum(case.expected == each for case in self.cases) for each in OUTCOMES},
            "techniques": dict(Counter(each.technique for each in self.cases)),
            "left out": [{"id": case.id, "reason": why} for case, why in self.left_out],
            "not in the format": [{"id": case.id, "reason": why} for case, why in self.unsaid],
            "refers to": self.roots,
            "passed over": {"cases": self.passed_over, "reason": self.why_passed},
        }

    def labels(self, at: int) -> dict[str, str]:
        """Return the label columns of a case."""
        case = self.cases[at]
        told = (case.id, case.technique, case.target, case.coverage_item, case.expected, case.violates, case.sentence)
        return dict(zip(LABELS, told, strict=True))

    def keep(self, at: list[int]) -> None:
        """Return the suite with only some of its cases."""
        self.cases = [self.cases[each] for each in at]
        self.rows = self.rows.select(at)


# The values of all cases of a record type that are made at once: each takes about 100 bytes until it is written.
MOST_VALUES = 10_000_000
THIRD = "hostile cases are at most a third; --technique hostile makes all"


def _capped(options: Options) -> bool:
    """Return whether hostile cases are limited to a third, because they were not requested."""
    return not options.hostile and options.techniques == Options().techniques


@dataclass
class Derived:
    """The cases of a record type, the nominal one first; then those that could not be checked, and those passed
    over.
    """

    cases: list[Case]
    beyond: list[tuple[Case, str]]
    passed_over: int = 0
    why_passed: str = ""


def derived(subject: Subject, options: Options) -> Derived:
    """Return the cases that the techniques derive for a record type."""
    nominal = Case("partition", subject.record.name, "nominal", because("a record that follows the schema"))
    found: list[Case] = []
    for technique in options.techniques:
        found += techniques.by_name()[technique].derive(subject)
    found = [each for each in found if each != nominal]
    if options.targets:
        found = [each for each in found if _meant(each.target, options.targets)]
    known = Known(subject.schema, set(subject.schema.records), alone=OF_CASE, children=in_order(subject.record))
    validator = Validator(
        subject.schema, subject.record, subject.plan, known, subject.today, not options.text_format.typed
    )
    reasons = [validator.why_not(each.target, each.violates) for each in found]
    beyond = [(each, why) for each, why in zip(with_ids(found), reasons, strict=True) if why]
    found = [each for each, why in zip(found, reasons, strict=True) if not why]
    whole, why = len(found), ""
    if _capped(options):
        found = hostile_third(found, options.text_format.typed)
        why = THIRD
    passed = whole - len(found)
    if options.faults > 1:
        order = [name for owner, name in subject.plan.types if owner == subject.record.name]
        found = _with_faults(found, options.faults, order)
    return Derived(with_ids([nominal, *found]), beyond, passed, why if passed else "")


def _with_faults(cases: list[Case], number: int, order: list[str]) -> list[Case]:
    """Combine faults of different targets, up to a number per record; none is lost."""
    by_target: dict[str, list[Case]] = {}
    for each in cases:
        if not each.valid:
            by_target.setdefault(each.target, []).append(each)
    found = [each for each in cases if each.valid]
    waiting = sorted(by_target.values(), key=len, reverse=True)
    while waiting:
        # The targets with the most remaining faults are used first, so that as few as possible stay alone.
        together = [each.pop(0) for each in waiting[:number]]
        together.sort(key=lambda each: (RULES.index(each.violates), _place_in(order, each.target)))
        changes = tuple(change for each in together for change in each.changes)
        found.append(replace(together[0], changes=changes, also=tuple(together[1:])))
        waiting = sorted((each for each in waiting if each), key=len, reverse=True)
    return found


def _place_in(order: list[str], target: str) -> int:
    return order.index(target) if target in order else len(order)


def _meant(target: str, wanted: tuple[str, ...]) -> bool:
    return any(name == target or target.startswith(name + ".") or name in target.split(", ") for name in wanted)


def suite_of(
    schema: Schema,
    record: Record,
    asked: RunOptions,
    options: Options,
    progress: Callable[[int], None] = lambda rows: None,
) -> Suite:
    """Derive, make, and check the cases of a record type. Raises YurtError if no record can be made at all."""
    natural = Run(schema, asked, record.name, unmeasured=record.name)
    subject = _subject(schema, record, natural, options)
    found = derived(subject, options)
    cases = found.cases
    unknown = [name for name in options.targets if not any(_meant(each.target, (name,)) for each in cases)]
    if unknown:
        names = [each.name for each in subject.fields]
        hint = did_you_mean(unknown[0], names)
        raise UsageFault(
            f"there is no case that targets `{unknown[0]}`; " + (hint or f"the fields are {', '.join(names)}")
        )
    if options.ids:
        cases = [cases[0], *(each for each in cases[1:] if each.id in options.ids or each.technique == "combinatorial")]
    once = cases = with_earlier_children(cases, record)
    cases = [
        each if turn == 0 else replace(each, id=f"{each.id}#{turn + 1}")
        for each in once
        for turn in range(options.repeat)
    ]
    if options.repeat > 1:
        # Duplicates repeat the first record of the file.
        cases.sort(key=lambda each: each.id != once[0].id)
    if (values := len(cases) * len(record.fields)) > MOST_VALUES:
        raise UsageFault(
            f"{record.name}: {len(cases):,} cases of {len(record.fields):,} fields are {values:,} values, and at most "
            f"{MOST_VALUES:,} are made at once; --target FIELD or --technique makes fewer"
        )
    stage = Stage(natural, record, cases)
    made = stage.make(cases, doubtful(cases, subject), progress)
    form = options.text_format
    if 0 in made.left_out:
        raise YurtError(f"{record.name}: not even a record that follows the schema can be made: {made.left_out[0]}")
    rows = CaseRows(Picked(made.rows, np.array(made.kept, dtype=np.int64)), record, len(made.kept), form)
    suite = Suite(record, [cases[at] for at in made.kept], rows, run=natural)
    suite.roots = stage.roots
    suite.left_out += found.beyond if not options.ids else []
    suite.passed_over, suite.why_passed = found.passed_over, found.why_passed
    suite.left_out += [(cases[at], why) for at, why in made.left_out.items()]
    suite.keep([at for at in range(len(suite.cases)) if _finished(suite, at)])
    suite.keep(_writable(suite))
    _judge(suite, schema, stage)
    if _capped(options):
        # Some of the others could not be made.
        left = {each.id for each in hostile_third(suite.cases, typed=True)}
        kept = _with_siblings(suite, [at for at, each in enumerate(suite.cases) if each.id in left])
        if suite.passed_over or len(kept) < len(suite.cases):
            suite.why_passed = suite.why_passed or THIRD
        suite.passed_over += len(suite.cases) - len(kept)
        suite.keep(kept)
    short, _ = torn(suite.cases)
    suite.left_out += [(suite.cases[at], "a child before it could not be made") for at in sorted(short)]
    suite.keep([at for at in range(len(suite.cases)) if at not in short])
    _, orphans = torn(suite.cases)
    suite.keep([at for at in range(len(suite.cases)) if at not in orphans])
    return _chosen(suite, options)


def counted(schema: Schema, record: Record, asked: RunOptions, options: Options) -> dict[str, int]:
    """Return the number of cases that each technique derives, before their records are made."""
    natural = Run(schema, asked, record.name, unmeasured=record.name)
    found = with_earlier_children(derived(_subject(schema, record, natural, options), options).cases, record)
    found = found[1:] if options.techniques == ("combinatorial",) else found
    return {
        name: sum(each.technique == name for each in found)
        for name in techniques.by_name()
        if any(each.technique == name for each in found)
    }


def _subject(schema: Schema, record: Record, run: Run, options: Options) -> Subject:
    return Subject(
        schema,
        record,
        run.plan,
        run.today,
        options.boundary,
        options.strength,
        options.stronger,
        options.seeds,
        options.invalid_parts,
    )


def _finished(suite: Suite, at: int) -> bool:
    """Put the replacement of a value into a row; return whether the result is a case."""
    case, rows = suite.cases[at], suite.rows
    for change in case.changes:
        if isinstance(change, Const) and (
            why := rows.form.cannot(change.value) if isinstance(change.value, str) else ""
        ):
            suite.unsaid.append((case, why))
            return False
        if not isinstance(change, Raw):
            continue
        if not rows.there(change.field, at) or (change.made is not None and rows.value(change.field, at) is None):
            suite.left_out.append((case, "there is no value to change"))
            return False
        value = change.value
        if change.made is not None:
            value = rows.changed(change, at)
            if value is None:
                # Every change of this value leads to another valid one, so there is no case.
                return False
            if isinstance(value, list) and None in value and rows.form.nests and not rows.form.typed:
                suite.unsaid.append((case, rows.form.cannot(NOTHING)))
                return False
            if type(value) is str and (why := rows.form.cannot(value)):
                suite.unsaid.append((case, why))
                return False
            if change.rule is not None:
                suite.cases[at] = replace(case, violates=change.rule(str(value)))
        elif why := _unsayable(change, rows, suite.record):
            suite.unsaid.append((case, why))
            return False
        rows.replace(change.field, at, value)
    return True


def _unsayable(change: Raw, rows: CaseRows, record: Record) -> str:
    name = rows.form.name.upper()
    if change.typed and not rows.form.typed and isinstance(change.value, str):
        return f"{name} has texts only"
    if not rows.form.nests and isinstance(record.by_name[change.field].head, Nested):
        return f"{name} has no records: their fields are columns"
    return rows.form.cannot(change.value)


def _writable(suite: Suite) -> list[int]:
    """Return the cases that the format can write: that fit their places, and whose characters the encoding has."""
    wrong = suite.rows.unwritable()
    suite.unsaid += [(suite.cases[at], why) for at, why in wrong.items()]
    return [at for at in range(len(suite.cases)) if at not in wrong]


def _judge(suite: Suite, schema: Schema, stage: Stage) -> None:
    """Leave out cases for which the validator finds another result, and report them."""
    rows = suite.rows
    if rows.form.read is None:
        # What is only written is judged in a format that has the same types.
        rows = rows.written_as(text_format("json" if rows.form.typed else "csv"))
    found = judged(schema, suite.record, rows.file(), rows.form, stage.run, in_order(suite.record))
    good: list[int] = []
    for at, case in enumerate(suite.cases):
        seen = found.get(at, [])
        right = [(each.target, each.violates) for each in (case, *case.also)] if case.violates else []
        if sorted(seen) == sorted(right):
            good.append(at)
        else:
            told = "; ".join(f"{where} breaks {rule}" for where, rule in seen) or "nothing is wrong"
            suite.left_out.append((case, f"the validator says: {told}"))
    suite.keep(good)


def _with_siblings(suite: Suite, kept: list[int]) -> list[int]:
    """Add the other children of the same parent, without which a child would be another one."""

    def groups(at: int) -> set[tuple[str, str]]:
        case = suite.cases[at]
        turn = case.id.partition("#")[2]
        return {(each.group, turn) for each in case.changes if isinstance(each, Beside)}

    wanted = {group for at in kept for group in groups(at)}
    if not wanted:
        return kept
    return sorted({*kept, *(at for at in range(len(suite.cases)) if groups(at) & wanted)})


def _chosen(suite: Suite, options: Options) -> Suite:
    """Keep the requested cases; the first record stays if another one repeats one of its values."""

    def wanted(case: Case) -> bool:
        only = not options.only or case.expected == options.only
        return only and (not options.ids or case.id in options.ids or case.technique == "combinatorial")

    kept = [at for at, each in enumerate(suite.cases) if wanted(each)]
    kept = _with_siblings(suite, kept)
    if options.limit and len(kept) > options.limit:
        first = kept[:1] if kept[0] == 0 else []
        some = most_valuable([suite.cases[at] for at in kept[len(first) :]], options.limit - len(first))
        left = {each.id for each in some}
        suite.passed_over += len(kept) - options.limit
        suite.why_passed = "; ".join(
            filter(None, (suite.why_passed, f"--limit {options.limit} keeps the most valuable"))
        )
        kept = _with_siblings(suite, first + [at for at in kept[len(first) :] if suite.cases[at].id in left])
    if kept and kept[0] and any(isinstance(change, Same) for at in kept for change in suite.cases[at].changes):
        kept.insert(0, 0)
    if options.techniques == ("combinatorial",):
        # Only the array; the record in front of it exists for duplicates.
        kept = [at for at in kept if suite.cases[at].technique == "combinatorial"]
    suite.keep(kept)
    return suite
