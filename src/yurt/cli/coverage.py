"""`yurt coverage`: how much of a schema existing records cover."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date
from pathlib import Path
from typing import TYPE_CHECKING

import click

from yurt.api.data_files import format_of_output
from yurt.cli.options import Day, Whole, variant_option, with_option
from yurt.core.base.data_classes import replace
from yurt.core.formats import FILE_FORMATS

if TYPE_CHECKING:
    from rich.text import Text

    from yurt.core.cases.case import Case
    from yurt.core.cases.coverage import Coverage
    from yurt.core.cases.suite import Options
    from yurt.core.model import Schema
    from yurt.core.verify.verification import Data

# The places that cannot be read which are told one by one.
TOLD = 20


@click.command(
    epilog="""\b
Examples:
  yurt coverage huts.yaml yurt-demo/csv/
  yurt coverage huts.yaml hut=yurt-demo/json/hut.json --missing 40
  yurt coverage huts.yaml yurt-demo/csv/ --record stay --complete missing.csv
""",
)
@click.argument("schema", type=click.Path(path_type=Path))
@click.argument("data", nargs=-1, required=True)
@click.option("--record", help="Only this record type. Default: every type that has data.")
@click.option(
    "--boundary", type=click.Choice(["2", "3"]), default="2", help="The number of values at each boundary. Default: 2."
)
@click.option("--missing", type=Whole(0, 10**6), default=10, help="The number of uncovered items to list. Default: 10.")
@click.option("--complete", type=click.Path(), help="Write the missing cases to a file.")
@click.option(
    "--format",
    "kind",
    type=click.Choice(FILE_FORMATS),
    help="The format of DATA. Default: the format named by the suffix of the file, or csv.",
)
@with_option
@click.option("--force", is_flag=True, help="Overwrite existing files.")
@click.option("--today", type=Day(), help="The value of `today`. Default: the date in the schema, or the current date.")
@click.option("--json", "as_json", is_flag=True, help="Write the report as JSON.")
@variant_option
def coverage(
    schema: Path, data: tuple[str, ...], record: str | None, boundary: str, missing: int, complete: str | None,
    kind: str | None, withs: tuple[tuple[str, str, str], ...], force: bool, today: date | None, as_json: bool,
    variants: tuple[str, ...],
) -> None:  # fmt: skip
    """Measure how much of SCHEMA the records in DATA cover: partitions, boundaries, decision rules, and pairs.

    DATA are files or folders, as for `yurt verify`. A record type may have several files. Coverage is the share of
    coverage items that occur in at least one record, by the formulas of ISO/IEC/IEEE 29119-4. Valid and invalid items
    have separate figures, because valid data has no invalid items.
    """
    from yurt.api.data_files import all_files, forms_of
    from yurt.cli.options import open_schema, output_of
    from yurt.cli.talk import progress_bar
    from yurt.core.base.errors import UsageFault, YurtError
    from yurt.core.base.files import NewFiles
    from yurt.core.base.nearest import did_you_mean
    from yurt.core.cases.suite import Options

    output = output_of(open_schema(schema, variants=variants), withs)
    files = all_files(data, output, kind)
    read = output.dressed(forms_of(files))
    if record is not None and record not in files:
        hint = did_you_mean(record, files)
        raise UsageFault(f"there is no data of `{record}`; " + (hint or f"there is data of {', '.join(files)}"))
    names = [record] if record else list(files)
    if complete is not None and len(names) > 1:
        raise UsageFault(f"--complete needs one record type: --record {' or '.join(names)}")
    form = format_of_output(Path(complete), None) if complete else "csv"
    if complete is not None:
        # Fail early, not after all the work is done.
        NewFiles(force).check(Path(complete))
    options = Options(techniques=("partition", "boundary", "decision"), boundary=int(boundary), form=form)
    with progress_bar(0) as progress:
        found = [_measured(read, name, files, options, today, progress) for name in names]
    for each in found:
        if each.faults and not each.rows:
            first = each.faults[0]
            place = f"line {first.line:,}: " if first.line is not None else ""
            raise YurtError(f"{first.name}: {place}{first.message}")
    if as_json:
        import json

        click.echo(json.dumps([_as_data(each) for each in found], indent=2, ensure_ascii=False))
    else:
        for each in found:
            for fault in each.faults[:TOLD]:
                place = f"line {fault.line:,}: " if fault.line is not None else ""
                click.echo(f"yurt: {fault.name}: {place}{fault.message}", err=True)
            if len(each.faults) > TOLD:
                click.echo(f"yurt: {each.faults[0].name}: and {len(each.faults) - TOLD:,} more", err=True)
            _show(each, missing)
    if complete is not None:
        _complete(read, found[0], options, complete, today, force)


def _measured(
    schema: Schema,
    name: str,
    files: dict[str, list[Data]],
    options: Options,
    today: date | None,
    progress: Callable[[int], None],
) -> Coverage:
    from yurt.core.cases.coverage import measured
    from yurt.core.cases.subject import Subject
    from yurt.core.cases.suite import derived
    from yurt.core.formats import text_format
    from yurt.core.verify.verification import Verification, has_labels

    day = today or schema.today or date.today()
    subject = Subject(schema, schema.records[name], schema.plan, day, options.boundary)
    # A format with types distinguishes more; what the format of the files cannot express is not an item.
    typed = any(each.form.typed for each in files[name])
    form = text_format("json" if typed else "csv")
    cases = [each for each in derived(subject, replace(options, form=form)).cases[1:] if typed or not _typed(each)]
    others = _referred(schema, name, files)
    # With several unlabelled files, nobody knows whether each is complete, so rules about earlier rows are not checked.
    whole = sum(not has_labels(each, schema.records[name]) for each in files[name]) < 2
    looks = [Verification(schema, {**others, name: each}, day, whole) for each in files[name]]
    return measured(looks, subject, cases, progress)


def _referred(schema: Schema, name: str, files: dict[str, list[Data]]) -> dict[str, Data]:
    """Return the files of the record types that one refers to, directly or through others."""
    from yurt.core.base.errors import UsageFault
    from yurt.core.model import Reference

    found: dict[str, Data] = {}
    waiting = [name]
    while waiting:
        for each in schema.records[waiting.pop()].fields:
            other = each.head.record if isinstance(each.head, Reference) else name
            if other == name or other in found or other not in files:
                continue
            if len(files[other]) > 1:
                raise UsageFault(
                    f"{files[other][1].name}: `{name}` refers to `{other}`, so there can be one file of it"
                )
            found[other] = files[other][0]
            waiting.append(other)
    return found


def _typed(case: Case) -> bool:
    from yurt.core.cases.case import Raw

    return any(isinstance(each, Raw) and each.typed for each in case.changes)


def _show(found: Coverage, missing: int) -> None:
    from rich import box
    from rich.table import Table
    from rich.text import Text

    from yurt.cli.case_tables import console_of, cut

    console = console_of()
    console.print(Text.assemble((found.subject.record.name, "bold"), f": {found.rows:,} rows"))
    techniques = ("partition", "boundary", "decision")
    table = Table(box=box.SIMPLE_HEAD, padding=(0, 1), show_edge=False)
    table.add_column("target")
    for name in (*techniques, "all"):
        table.add_column(name, justify="right")
    table.add_column("")
    totals = dict.fromkeys(techniques, (0, 0))
    for target, own in found.shares().items():
        covered, total = sum(one for one, _ in own.values()), sum(all_ for _, all_ in own.values())
        for name, (one, all_) in own.items():
            totals[name] = totals[name][0] + one, totals[name][1] + all_
        cells = [_share(*own[name]) if name in own else "" for name in techniques]
        table.add_row(Text(cut(target, 34)), *cells, _share(covered, total), _bar(covered, total))
    table.add_section()
    every = sum(one for one, _ in totals.values()), sum(all_ for _, all_ in totals.values())
    table.add_row(
        "all", *(_share(*totals[name]) if totals[name][1] else "" for name in techniques), _share(*every), _bar(*every)
    )
    for words, valid in (("valid items", True), ("invalid items", False)):
        counts = found.of_outcome(valid)
        table.add_row(words, "", "", "", _share(*counts), _bar(*counts))
    if found.possible:
        table.add_row(
            "pairs of levels", "", "", "", _share(found.paired, found.possible), _bar(found.paired, found.possible)
        )
    console.print(table)
    console.print()
    missed = found.missed
    if missed and missing:
        console.print(Text(f"{len(missed):,} items are not covered", style="bold"))
    for case in missed[:missing]:
        console.print(Text(f"  {case.id}: {cut(case.sentence, 90)}"))
    if missing and len(missed) > missing:
        console.print(Text(f"  … and {len(missed) - missing:,} more; --missing {len(missed)} lists all", style="dim"))
    if found.missing_pairs and missing:
        console.print(Text(f"{len(found.missing_pairs):,} pairs are not covered", style="bold"))
        for pair in found.missing_pairs[: max(missing // 2, 1)]:
            console.print(Text(f"  {pair}"))
    if found.impossible_pairs and missing:
        console.print(Text(f"{len(found.impossible_pairs):,} pairs are impossible and not counted", style="bold"))
        for pair, why in list(found.impossible_pairs.items())[: max(missing // 2, 1)]:
            console.print(Text(f"  {pair}: {cut(why, 70)}"))
    console.print()


def _share(covered: int, total: int) -> str:
    return f"{covered:,}/{total:,} {covered / total:>4.0%}" if total else ""


def _bar(covered: int, total: int) -> Text:
    from rich.text import Text

    full = round(10 * covered / total) if total else 0
    return Text.assemble(("█" * full, "green"), ("░" * (10 - full), "dim"))


def _as_data(found: Coverage) -> dict[str, object]:
    return {
        "record": found.subject.record.name,
        "rows": found.rows,
        "items": [
            {"id": case.id, "technique": case.technique, "target": case.target, "item": case.coverage_item,
             "expected": case.expected, "covered": hit}
            for case, hit in found.items.values()
        ],
        "valid items": dict(zip(("covered", "of"), found.of_outcome(True), strict=True)),
        "invalid items": dict(zip(("covered", "of"), found.of_outcome(False), strict=True)),
        "pairs": {"possible": found.possible, "covered": found.paired, "missing": found.missing_pairs,
                  "impossible": found.impossible_pairs},
    }  # fmt: skip


def _complete(
    schema: Schema, found: Coverage, options: Options, out: str, today: date | None, force: bool
) -> None:  # fmt: skip
    """Write cases for the items that are not covered, and rows for the pairs that are not."""
    from yurt.cli.cases import write_suites
    from yurt.core.cases.suite import suite_of
    from yurt.core.engine.run import RunOptions

    record = found.subject.record
    asked = RunOptions(schema.seed if schema.seed is not None else schema.drawn_seed, today)
    seeds = tuple(row for row in sorted(found.levels) if -1 not in row)
    whole = replace(options, techniques=(*options.techniques, "combinatorial"), seeds=seeds)
    ids = frozenset(case.id for case in found.missed)
    suite = suite_of(schema, record, asked, replace(whole, ids=ids))
    write_suites([suite], whole, "front", False, out, False, force)
