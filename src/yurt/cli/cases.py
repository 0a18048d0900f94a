"""`yurt cases`: test cases derived from a schema, each with its expected outcome."""

from __future__ import annotations

import re
import sys
from datetime import date
from pathlib import Path
from typing import TYPE_CHECKING

import click

from yurt.cli.data import format_named_by
from yurt.cli.options import Day, Whole, variant_option
from yurt.core.cases import techniques
from yurt.core.formats import NAMES

if TYPE_CHECKING:
    from yurt.core.cases.suite import Options, Suite
    from yurt.core.engine.run import RunOptions
    from yurt.core.model import Schema


class Strength(click.ParamType):  # type: ignore[type-arg]
    """How many fields are combined with one another."""

    name = "N"

    def convert(self, value: object, param: click.Parameter | None, ctx: click.Context | None) -> str:
        if not re.fullmatch(r"[1-9]|base|all", str(value)):
            self.fail(f"`{value}` is no strength; write 1 (each choice), 2 (pairwise), 3 to 9, base or all", param, ctx)
        return str(value)


class Stronger(click.ParamType):  # type: ignore[type-arg]
    """Fields with a strength of their own: `party,status,board=3`."""

    name = "FIELDS=N"

    def convert(
        self, value: object, param: click.Parameter | None, ctx: click.Context | None
    ) -> tuple[tuple[str, ...], int]:
        names, _, number = str(value).rpartition("=")
        if not names or not re.fullmatch(r"[2-9]", number):
            self.fail(f"`{value}` names no fields and strength; write it like party,status,board=3", param, ctx)
        return tuple(each.strip() for each in names.split(",")), int(number)


@click.command(
    short_help="Derive test cases with the expected outcome.",
    epilog="""\b
Examples:
  yurt cases huts.yaml stay
  yurt cases huts.yaml stay --out stay-cases.csv
  yurt cases huts.yaml stay --technique combinatorial --strength 3 --dry-run
  yurt cases huts.yaml hiker --target mail --only invalid --out - --format json
  yurt cases huts.yaml stay --explain party/boundary/high-outside
  yurt cases huts.yaml --documents --out broken/
""",
)
@click.argument("schema", type=click.Path(path_type=Path))
@click.argument("record", required=False)
@click.option("--technique", "techniques", multiple=True, type=click.Choice(techniques.NAMES),
              help="May be repeated. Default: all but combinatorial.")  # fmt: skip
@click.option("--boundary", type=click.Choice(["2", "3"]), default="2", help="Values at each boundary. Default: 2.")
@click.option("--strength", type=Strength(), default="2",
              help="For combinatorial: 1 each choice, 2 pairwise, base (choice) or all. Default: 2.")  # fmt: skip
@click.option("--stronger", type=Stronger(), multiple=True,
              help="Another strength among some fields: --stronger party,status=3; may be repeated.")  # fmt: skip
@click.option("--existing", type=click.Path(), help="A file of records whose combinations count as there already.")
@click.option("--target", "targets", multiple=True, metavar="FIELD", help="Only cases that target it; may be repeated.")
@click.option("--only", type=click.Choice(["valid", "invalid"]), help="Only cases to be accepted, or to be rejected.")
@click.option("--labels", type=click.Choice(["front", "beside", "none"]), default="front",
              help="Label columns: in front, in a second file beside, or none. Default: front.")  # fmt: skip
@click.option("--apart", is_flag=True, help="Valid and invalid cases in two files.")
@click.option("--repeat", type=Whole(1, 1000), default=1, help="Each case N times, with other values around it.")
@click.option("--faults", type=Whole(1, 5), default=1, help="Faults in one record. Default: 1.")
@click.option("--documents", is_flag=True, help="Whole files that are broken on purpose, with a list of expectations.")
@click.option("--dry-run", is_flag=True, help="Say how many cases there are; make none.")
@click.option("--explain", metavar="ID", help="Show one case in full.")
@click.option(
    "--out", type=click.Path(), help="A file for one record type, a folder for several, - for standard output."
)
@click.option("--format", "kind", type=click.Choice(NAMES), help="Default: by the ending of --out, else csv.")
@click.option("--force", is_flag=True, help="Overwrite files that exist.")
@click.option("--seed", type=Whole(0, 10**18 - 1), help="Same seed, same bytes. Default: the schema's, or a fresh one.")
@click.option("--today", type=Day(), help="The day that `today` stands for. Default: the schema's, or the clock's.")
@variant_option
def cases(
    schema: Path, record: str | None, techniques: tuple[str, ...], boundary: str, strength: str,
    stronger: tuple[tuple[tuple[str, ...], int], ...], existing: str | None, targets: tuple[str, ...], only: str | None,
    labels: str, apart: bool, repeat: int, faults: int, documents: bool, dry_run: bool, explain: str | None,
    out: str | None, kind: str | None, force: bool, seed: int | None, today: date | None, variants: tuple[str, ...],
) -> None:  # fmt: skip
    """Derive test cases from SCHEMA: at the edges of what it allows, and just outside.

    Each case is a whole record that is as the schema says but for its target. Labels say what it targets, whether it is
    to be accepted or rejected, which rule it violates and why. A judge of its own has held every case against the
    schema. Without --out a summary is shown.
    """
    from yurt.cli.options import open_schema
    from yurt.core.base.errors import UsageFault
    from yurt.core.base.files import NewFiles
    from yurt.core.base.nearest import did_you_mean
    from yurt.core.cases.suite import Options
    from yurt.core.engine.run import RunOptions

    read = open_schema(schema, variants=variants)
    if record is not None and record not in read.records:
        hint = did_you_mean(record, read.records)
        raise UsageFault(
            f"there is no record type `{record}`; " + (hint or f"the schema has {', '.join(read.records)}")
        )
    names = [record] if record else list(read.records)
    into_folder = out is not None and out != "-" and (len(names) > 1 or out.endswith("/") or Path(out).is_dir())
    form = kind or (format_named_by(Path(out)) if out and not into_folder else None) or "csv"
    asked = RunOptions(seed if seed is not None or read.seed is not None else read.drawn_seed, today)
    if documents:
        _documents(read, names, asked, out, kind, force)
        return
    if len(names) > 1 and (existing or explain or out == "-"):
        raise UsageFault(f"this needs one record type: {', '.join(names)}")
    options = Options(
        techniques or Options().techniques, int(boundary), targets, only or "", repeat, form, strength, stronger,
        _existing_rows(existing, read, names[0], today) if existing else (), faults,
    )  # fmt: skip
    if dry_run:
        _dry_run(read, names, asked, options)
        return
    if out is not None and out != "-" and not into_folder and not apart:
        # Not only when all the work is done.
        NewFiles(force).check(Path(out))
    suites = [_suite(read, name, asked, options) for name in names]
    if explain is not None:
        from yurt.cli.case_tables import explained

        explained(suites[0], explain)
        return
    if out is None:
        from yurt.cli.case_tables import summary

        for suite in suites:
            summary(suite, options)
        return
    write_suites(suites, options, labels, apart, out, into_folder, force)


def _suite(schema: Schema, name: str, asked: RunOptions, options: Options) -> Suite:
    from yurt.core.cases.suite import suite_of

    return suite_of(schema, schema.records[name], asked, options)


def _dry_run(schema: Schema, names: list[str], asked: RunOptions, options: Options) -> None:
    from yurt.cli.talk import plural
    from yurt.core.cases.suite import counted

    for name in names:
        counts = counted(schema, schema.records[name], asked, options)
        total = sum(counts.values()) * options.repeat
        click.echo(f"{name}: {plural(total, 'case')} at most")
        for technique, count in counts.items():
            click.echo(f"{count * options.repeat:>9,}  {technique}")


def _existing_rows(path: str, schema: Schema, name: str, today: date | None) -> tuple[tuple[int, ...], ...]:
    """Return what the records of a file combine already."""
    from yurt.cli.data import data_files
    from yurt.core.cases.coverage import measured
    from yurt.core.cases.subject import Subject
    from yurt.core.verify.verification import Verification

    day = today or schema.today or date.today()
    subject = Subject(schema, schema.records[name], schema.plan, day)
    files = data_files((f"{name}={path}",), schema, None)
    found = measured(Verification(schema, files, day, whole=False), subject, [])
    return tuple(row for row in sorted(found.levels) if -1 not in row)


def write_suites(
    suites: list[Suite], options: Options, labels: str, apart: bool, out: str, into_folder: bool, force: bool
) -> None:  # fmt: skip
    """Write the cases of some record types to a file each, or to standard output."""
    from yurt.cli.talk import plural
    from yurt.core.base.files import NewFiles
    from yurt.core.cases.files import parts_of
    from yurt.core.formats import by_name

    suffix = by_name()[options.form].suffix
    if out == "-":
        for _, data in parts_of(suites[0], "front" if labels == "front" else "none", False):
            sys.stdout.buffer.write(data)
        sys.stdout.buffer.flush()
        click.echo(_counts(suites[0]), err=True)
        return
    lines = []
    with NewFiles(force) as files:
        if into_folder:
            files.folder(Path(out))
        for suite in suites:
            path = Path(out) / f"{suite.record.name}-cases{suffix}" if into_folder else Path(out)
            for part, data in parts_of(suite, labels, apart):
                each = path.with_name(f"{path.stem}{part}{path.suffix}")
                files.open(each).write(data)
                lines.append(str(each))
            lines[-1] += f": {_counts(suite)}"
    click.echo("\n".join(lines), err=True)
    for suite in suites:
        for case, why in suite.left_out:
            click.echo(f"left out: {case.id}: {why}", err=True)
        if suite.unsaid:
            reasons = list(dict.fromkeys(why for _, why in suite.unsaid))
            told = "; ".join(reasons[:3])
            click.echo(
                f"{suite.record.name}: {plural(len(suite.unsaid), 'case')} that {options.form} cannot say: {told}",
                err=True,
            )


def _counts(suite: Suite) -> str:
    from yurt.cli.talk import plural

    valid = sum(each.valid for each in suite.cases)
    run = suite.run
    words = run.words if run is not None else ""
    return (
        f"{plural(len(suite.cases), 'case')}, {valid:,} to accept and {len(suite.cases) - valid:,} to reject; {words}"
    )


def _documents(
    schema: Schema, names: list[str], asked: RunOptions, out: str | None, kind: str | None, force: bool
) -> None:
    from yurt.cli.talk import plural
    from yurt.core.base.errors import UsageFault
    from yurt.core.base.files import NewFiles
    from yurt.core.cases.documents import EXPECTATIONS, documents_of, expectations
    from yurt.core.engine.run import Run

    if out is None or out == "-":
        raise UsageFault("broken files need a folder: --out FOLDER")
    run = Run(schema, asked)
    forms = (kind,) if kind else ("csv", "json", "xml")
    with NewFiles(force) as files:
        files.folder(Path(out))
        made = [each for name in names for form in forms for each in documents_of(run, name, form)]
        for each in made:
            files.open(Path(out) / each.name).write(each.data)
        files.open(Path(out) / EXPECTATIONS).write(expectations(made))
    click.echo(f"{out}: {plural(len(made), 'file')} and {EXPECTATIONS}; {run.words}", err=True)
