"""`yurt cases`: test cases derived from a schema, each with its expected outcome."""

from __future__ import annotations

import re
import sys
from datetime import date
from pathlib import Path
from typing import TYPE_CHECKING

import click

from yurt.api.data_files import folder_for, format_of_output, stem
from yurt.cli.options import Day, Whole, variant_option, with_option
from yurt.core.base.data_classes import replace
from yurt.core.base.labels import CASE, OUTCOMES
from yurt.core.cases import techniques
from yurt.core.formats import FILE_FORMATS

if TYPE_CHECKING:
    from yurt.core.cases.suite import Options, Suite
    from yurt.core.engine.run import RunOptions
    from yurt.core.model import Schema
    from yurt.core.writing.output import Output


class Strength(click.ParamType):  # type: ignore[type-arg]
    """The number of fields that are combined with one another."""

    name = "N"

    def convert(self, value: object, param: click.Parameter | None, ctx: click.Context | None) -> str:
        if not re.fullmatch(r"[1-9]|base|all", str(value)):
            self.fail(
                f"`{value}` is not a strength; write 1 (each choice), 2 (pairwise), 3 to 9, base or all", param, ctx
            )
        return str(value)


class Stronger(click.ParamType):  # type: ignore[type-arg]
    """Fields with a strength of their own, such as `party,status,board=3`."""

    name = "FIELDS=N"

    def convert(
        self, value: object, param: click.Parameter | None, ctx: click.Context | None
    ) -> tuple[tuple[str, ...], int]:
        names, _, number = str(value).rpartition("=")
        if not names or not re.fullmatch(r"[2-9]", number):
            self.fail(f"`{value}` does not name fields and a strength; write it like party,status,board=3", param, ctx)
        return tuple(each.strip() for each in names.split(",")), int(number)


@click.command(
    epilog="""\b
Examples:
  yurt cases huts.yaml hut
  yurt cases huts.yaml hut --out hut-cases.csv
  yurt cases huts.yaml stay --technique combinatorial --strength 3 --dry-run
  yurt cases huts.yaml hiker --target mail --only reject --out - --format json
  yurt cases huts.yaml hut --explain beds/boundary/high-outside
  yurt cases huts.yaml --malformed-files --out broken/
""",
)
@click.argument("schema", type=click.Path(path_type=Path))
@click.argument("record", required=False)
@click.option("--technique", "techniques", multiple=True, type=click.Choice(techniques.NAMES),
              help="May be repeated. Default: all except combinatorial.")  # fmt: skip
@click.option(
    "--boundary", type=click.Choice(["2", "3"]), default="2", help="The number of values at each boundary. Default: 2."
)
@click.option("--strength", type=Strength(), default="2",
              help="For combinatorial: 1 is each choice, 2 is pairwise, base, or all. Default: 2.")  # fmt: skip
@click.option("--mixed-strength", "stronger", type=Stronger(), multiple=True,
              help="A different strength for some fields, such as party,status=3. May be repeated.")  # fmt: skip
@click.option("--invalid-parts", is_flag=True,
              help="For combinatorial: add each invalid partition once, with valid values around it.")  # fmt: skip
@click.option("--existing", type=click.Path(), help="A file of records whose combinations are already covered.")
@click.option(
    "--target",
    "targets",
    multiple=True,
    metavar="FIELD",
    help="Only the cases that target this field. May be repeated.",
)
@click.option("--only", type=click.Choice(OUTCOMES), help="Only the cases with this expected outcome.")
@click.option("--limit", type=Whole(1, 10**6), help="Keep only the N most valuable cases of each record type.")
@click.option("--labels", type=click.Choice(["front", "beside", "none"]), default="front",
              help="Labels: in front of the fields, in a second file, or none. Default: front.")  # fmt: skip
@click.option("--label-record", "label_record", metavar="NAME", default=CASE,
              help="The name of the record that holds the labels. Default: case.")  # fmt: skip
@click.option("--split-files", "apart", is_flag=True, help="Write one file for each expected outcome.")
@click.option(
    "--repeat", type=Whole(1, 1000), default=1, help="Write each case N times, with different values around it."
)
@click.option("--faults", type=Whole(1, 5), default=1, help="The number of faults in one record. Default: 1.")
@click.option(
    "--malformed-files",
    "documents",
    is_flag=True,
    help="Write whole files that are malformed on purpose, and a list of expected results.",
)
@click.option(
    "--json", "as_json", is_flag=True, help="Write the summary as JSON, including everything that was left out."
)
@click.option("--dry-run", is_flag=True, help="Print only the number of cases.")
@click.option("--explain", metavar="ID", help="Show one case in detail.")
@click.option(
    "--out", type=click.Path(), help="A file for one record type, a folder for several, or - for standard output."
)
@click.option(
    "--format",
    "kind",
    type=click.Choice(FILE_FORMATS),
    help="Default: the format named by the suffix of --out, or csv.",
)
@with_option
@click.option("--force", is_flag=True, help="Overwrite existing files.")
@click.option(
    "--seed",
    type=Whole(0, 10**18 - 1),
    help="The same seed gives the same bytes. Default: the seed in the schema, or a new one.",
)
@click.option("--today", type=Day(), help="The value of `today`. Default: the date in the schema, or the current date.")
@variant_option
def cases(
    schema: Path, record: str | None, techniques: tuple[str, ...], boundary: str, strength: str,
    stronger: tuple[tuple[tuple[str, ...], int], ...], invalid_parts: bool, existing: str | None,
    targets: tuple[str, ...], only: str | None,
    limit: int | None, labels: str, label_record: str, apart: bool, repeat: int, faults: int, documents: bool,
    as_json: bool, dry_run: bool, explain: str | None,
    out: str | None, kind: str | None, withs: tuple[tuple[str, str, str], ...], force: bool, seed: int | None,
    today: date | None, variants: tuple[str, ...],
) -> None:  # fmt: skip
    """Derive test cases from SCHEMA, on the boundaries of what it allows and just outside.

    Each case is a complete record that follows the schema except in its target. Labels say what it targets, what is
    expected (accept, reject, or handle where no rule decides), which rule it violates and why. An independent validator
    has confirmed every case. Without --out, a summary is shown.
    """
    from yurt.cli.options import open_schema, output_of
    from yurt.core.base.errors import UsageFault
    from yurt.core.base.files import NewFiles
    from yurt.core.base.nearest import no_record_type
    from yurt.core.cases.files import refuse_name
    from yurt.core.cases.suite import Options
    from yurt.core.engine.run import RunOptions
    from yurt.core.formats import text_format

    read = open_schema(schema, variants=variants)
    if record is not None and record not in read.records:
        raise UsageFault(no_record_type(record, read.records))
    names = [record] if record else list(read.records)
    into_folder = out is not None and out != "-" and (len(names) > 1 or out.endswith("/") or Path(out).is_dir())
    if out is not None and out != "-":
        folder_for(out, names)
    form = format_of_output(Path(out), kind) if out and out != "-" and not into_folder else kind or "csv"
    output = output_of(read, withs)
    read = output.dressed(dict.fromkeys(names, form))
    asked = RunOptions(seed if seed is not None or read.seed is not None else read.drawn_seed, today)
    if documents:
        _documents(output, names, asked, out, kind, force)
        return
    if len(names) > 1 and (existing or explain or out == "-"):
        raise UsageFault(f"this needs one record type: {', '.join(names)}")
    _without_effect(techniques, out, documents)
    if as_json and out == "-":
        raise UsageFault("the cases and the summary cannot both go to standard output; write the cases with --out FILE")
    if out is not None and labels == "front":
        for name in names:
            refuse_name(read.records[name], label_record)
    options = Options(
        techniques or Options().techniques, int(boundary), targets, only or "", repeat, form, strength, stronger,
        _existing_rows(existing, output, names[0], today) if existing else (), faults, invalid_parts, limit=limit or 0,
        hostile="hostile" in techniques,
    )  # fmt: skip
    forms = {name: replace(options, form=text_format(form, output.chosen(form, name))) for name in names}
    if dry_run:
        _dry_run(read, names, asked, forms)
        return
    if out is not None and out != "-" and not into_folder and not apart:
        # Fail early, not after all the work is done.
        NewFiles(force).check(Path(out))
    suites = _suites(read, names, asked, forms)
    if explain is not None:
        from yurt.cli.case_tables import explained

        explained(suites[0], explain)
        return
    paths: dict[str, list[str]] = {}
    if out is not None:
        paths = write_suites(suites, options, labels, apart, out, into_folder, force, label_record)
        _remember(suites, out)
    if as_json:
        import json

        told = [{**each.as_data(), "files": paths.get(each.record.name, [])} for each in suites]
        click.echo(json.dumps(told, indent=2, ensure_ascii=False))
    elif out is None:
        from yurt.cli.case_tables import summary

        for suite in suites:
            summary(suite, options)


def _suites(schema: Schema, names: list[str], asked: RunOptions, options: dict[str, Options]) -> list[Suite]:
    """Return the suites of the record types. If there are several, one without cases does not stop the others."""
    from yurt.core.base.errors import UsageFault, YurtError
    from yurt.core.cases.suite import suite_of

    found = []
    for name in names:
        try:
            found.append(suite_of(schema, schema.records[name], asked, options[name]))
        except UsageFault as fault:
            # If there are several record types, some may lack the requested field.
            if len(names) == 1 or not options[name].targets:
                raise
            click.echo(f"{name}: {fault}", err=True)
        except YurtError as fault:
            if len(names) == 1:
                raise
            click.echo(f"no cases of {name}: {fault}", err=True)
    if not found:
        raise YurtError(f"no cases of {', '.join(names)}")
    return found


def _remember(suites: list[Suite], out: str) -> None:
    """Note the cases in the list of runs."""
    from yurt.cli.remember import remember

    if suites[0].run is not None:
        total = sum(len(each.cases) for each in suites)
        remember(suites[0].run, total, "standard output" if out == "-" else out)


def _dry_run(schema: Schema, names: list[str], asked: RunOptions, options: dict[str, Options]) -> None:
    from yurt.cli.talk import plural
    from yurt.core.cases.suite import counted

    for name in names:
        counts = counted(schema, schema.records[name], asked, options[name])
        total = sum(counts.values()) * options[name].repeat
        click.echo(f"{name}: {plural(total, 'case')} at most")
        for technique, count in counts.items():
            click.echo(f"{count * options[name].repeat:>9,}  {technique}")


def _existing_rows(path: str, output: Output, name: str, today: date | None) -> tuple[tuple[int, ...], ...]:
    """Return the combinations that the records of a file contain already."""
    from yurt.api.data_files import data_files
    from yurt.core.cases.coverage import measured
    from yurt.core.cases.subject import Subject
    from yurt.core.verify.verification import Verification

    files = data_files((f"{name}={path}",), output, None)
    schema = output.dressed({name: files[name].form.name})
    day = today or schema.today or date.today()
    subject = Subject(schema, schema.records[name], schema.plan, day)
    found = measured([Verification(schema, files, day, whole=False)], subject, [])
    return tuple(row for row in sorted(found.levels) if -1 not in row)


def write_suites(
    suites: list[Suite], options: Options, labels: str, apart: bool, out: str, into_folder: bool, force: bool,
    label_record: str = CASE,
) -> dict[str, list[str]]:  # fmt: skip
    """Write the cases of each record type to a file or to standard output; return each one's files."""
    from yurt.core.base.files import NewFiles
    from yurt.core.cases.files import parts_of

    found: dict[str, list[str]] = {}
    if out == "-":
        for _, data in parts_of(suites[0], "front" if labels == "front" else "none", False, label_record):
            sys.stdout.buffer.write(data)
        sys.stdout.buffer.flush()
        click.echo(_counts(suites[0]), err=True)
        _tell_losses(suites[0], options)
        return found
    suffix = options.text_format.suffix
    with NewFiles(force) as files:
        if into_folder:
            files.folder(Path(out))
        for suite in suites:
            path = Path(out) / f"{suite.record.name}-cases{suffix}" if into_folder else Path(out)
            name = stem(str(path))
            for part, data in parts_of(suite, labels, apart, label_record):
                # Labels beside a layout are CSV.
                other = part.endswith("-labels") and options.text_format.by_layout
                each = path.with_name(f"{name}{part}{'.csv' if other else path.name.removeprefix(name)}")
                files.open(each).write(data)
                found.setdefault(suite.record.name, []).append(str(each))
    for suite in suites:
        *before, last = found[suite.record.name]
        click.echo("\n".join([*before, f"{last}: {_counts(suite)}"]), err=True)
    for suite in suites:
        _tell_losses(suite, options)
    return found


def _tell_losses(suite: Suite, options: Options) -> None:
    """Report the cases that could not be made, that the format cannot express, and that were passed over."""
    from yurt.cli.talk import plural

    for case, why in suite.left_out:
        click.echo(f"left out: {case.id}: {why}", err=True)
    reasons: dict[str, int] = {}
    for _, why in suite.unsaid:
        reasons[why] = reasons.get(why, 0) + 1
    for why, count in reasons.items():
        click.echo(f"{suite.record.name}: {plural(count, 'case')} not in {options.text_format.name}: {why}", err=True)
    for name, count in suite.roots.items():
        rows = f"{count:,} {name} rows"
        click.echo(f"{suite.record.name}: the cases refer to {rows}: generate {name} with --count {count}", err=True)
    if suite.passed_over:
        click.echo(
            f"{suite.record.name}: {plural(suite.passed_over, 'case')} passed over: {suite.why_passed}", err=True
        )


def _counts(suite: Suite) -> str:
    from yurt.cli.talk import plural

    run = suite.run
    return f"{plural(len(suite.cases), 'case')}, {suite.outcomes}; {run.words if run is not None else ''}"


# Options that only affect combinations, and options that only affect files.
OF_COMBINATIONS = {
    "strength": "--strength", "stronger": "--mixed-strength", "existing": "--existing",
    "invalid_parts": "--invalid-parts",
}  # fmt: skip
OF_FILES = {"apart": "--split-files", "force": "--force"}


def _without_effect(techniques: tuple[str, ...], out: str | None, documents: bool) -> None:
    """Refuse options that would have no effect. Raises UsageFault."""
    from yurt.core.base.errors import UsageFault

    context = click.get_current_context()
    given = {
        name for name in context.params if context.get_parameter_source(name) == click.core.ParameterSource.COMMANDLINE
    }
    for name, option in OF_COMBINATIONS.items():
        if name in given and "combinatorial" not in techniques:
            raise UsageFault(f"{option} needs --technique combinatorial")
    for name, option in OF_FILES.items():
        if name in given and out in (None, "-"):
            raise UsageFault(f"{option} needs --out FILE or --out FOLDER")
    if "labels" in given and out is None and not documents:
        raise UsageFault("--labels needs --out")


def _documents(
    output: Output, names: list[str], asked: RunOptions, out: str | None, kind: str | None, force: bool
) -> None:
    from yurt.cli.talk import plural
    from yurt.core.base.errors import UsageFault
    from yurt.core.base.files import NewFiles
    from yurt.core.cases.documents import RESULTS, documents_of, expected_results
    from yurt.core.engine.run import Run
    from yurt.core.formats import text_format

    if out is None or out == "-":
        raise UsageFault("broken files need a folder: --out FOLDER")
    forms = (kind,) if kind else ("csv", "json", "xml")
    runs = {form: Run(output.dressed(dict.fromkeys(names, form)), asked) for form in forms}
    with NewFiles(force) as files:
        files.folder(Path(out))
        made, left_out = [], []
        for name in names:
            for form, run in runs.items():
                right, wrong = documents_of(run, name, text_format(form, output.chosen(form, name)))
                made += right
                left_out += wrong
        for each in made:
            files.open(Path(out) / each.name).write(each.data)
        files.open(Path(out) / RESULTS).write(expected_results(made))
    for each in left_out:
        click.echo(f"left out: {each.name}: the validator does not {each.expected} it", err=True)
    click.echo(f"{out}: {plural(len(made), 'file')} and {RESULTS}; {runs[forms[0]].words}", err=True)
