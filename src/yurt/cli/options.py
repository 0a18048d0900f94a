"""Options that several commands share, and their types."""

from __future__ import annotations

import re
from collections.abc import Callable
from datetime import date
from pathlib import Path
from typing import TYPE_CHECKING, Any, ClassVar, TypeVar

import click

from yurt.core.base.data_classes import dataclass
from yurt.core.formats import FILE_FORMATS

if TYPE_CHECKING:
    from yurt.core.model import Schema
    from yurt.core.source.diagnostics import Source
    from yurt.core.writing.output import Output
    from yurt.core.writing.parts_run import Parts

Function = TypeVar("Function", bound=Callable[..., Any])
MAX_COUNT = 10**15


class RowRange(click.ParamType):  # type: ignore[type-arg]
    """`A..B`: rows by number, both ends included, counted from 1; `A` is one row."""

    name = "A..B"

    def convert(self, value: object, param: click.Parameter | None, ctx: click.Context | None) -> tuple[int, int]:
        found = re.fullmatch(r"(\d{1,18})(?:\.\.(\d{1,18}))?", str(value).strip())
        first, last = (int(found[1]), int(found[2] or found[1])) if found else (0, 0)
        if not found or first < 1 or last < first:
            self.fail(f"`{value}` is not a range of rows; write 1..20, the first row is 1", param, ctx)
        return first, last


class Whole(click.ParamType):  # type: ignore[type-arg]
    """A whole number within a range."""

    name = "N"

    def __init__(self, low: int, high: int) -> None:
        self.low = low
        self.high = high

    def convert(self, value: object, param: click.Parameter | None, ctx: click.Context | None) -> int:
        written = str(value).replace("_", "").replace(",", "")
        found = int(written) if re.fullmatch(r"-?\d{1,19}", written) else None
        if found is None or not self.low <= found <= self.high:
            self.fail(f"`{value}` is not a whole number from {self.low:,} to {self.high:,}", param, ctx)
        return found


class Bytes(click.ParamType):  # type: ignore[type-arg]
    """A number of bytes with a unit: `500kB`, `100MB`, `2GB`."""

    name = "SIZE"
    units: ClassVar[dict[str, int]] = {"b": 1, "kb": 10**3, "mb": 10**6, "gb": 10**9}

    def convert(self, value: object, param: click.Parameter | None, ctx: click.Context | None) -> int:
        found = re.fullmatch(r"(\d{1,9}) ?([kmg]?b)", str(value).strip().lower())
        if isinstance(value, int):
            return value
        if found is None or not int(found[1]):
            self.fail(f"`{value}` is not a size; write it like 500kB, 100MB, or 2GB", param, ctx)
        return int(found[1]) * self.units[found[2]]


class PartsOf(click.ParamType):  # type: ignore[type-arg]
    """A number of parts, or the size of each: `40`, `200MB`."""

    name = "N|SIZE"

    def convert(self, value: object, param: click.Parameter | None, ctx: click.Context | None) -> Parts:
        from yurt.core.writing.parts_run import Parts, parts_told

        if isinstance(value, Parts):
            return value
        if (found := parts_told(str(value).replace("_", "").replace(",", ""))) is None:
            self.fail(f"`{value}` is not a number of parts or their size; write it like 40 or 200MB", param, ctx)
        return found


class Factor(click.ParamType):  # type: ignore[type-arg]
    """A factor for the counts."""

    name = "FACTOR"

    def convert(self, value: object, param: click.Parameter | None, ctx: click.Context | None) -> float:
        found = float(str(value)) if re.fullmatch(r"\d{1,12}(\.\d{1,12})?", str(value)) else None
        if found is None:
            self.fail(f"`{value}` is not a factor; write it like 40 or 0.5", param, ctx)
        return found


class Rate(click.ParamType):  # type: ignore[type-arg]
    """A share of values: `2%` of all, `mail=10%` of one field."""

    name = "RATE"

    def convert(self, value: object, param: click.Parameter | None, ctx: click.Context | None) -> tuple[str, float]:
        if isinstance(value, tuple):
            return value
        field, _, share = str(value).rpartition("=")
        found = re.fullmatch(r"(\d{1,3}(\.\d{1,4})?)%", share.strip())
        if not found or not 0 <= float(found[1]) <= 100:
            self.fail(f"`{value}` is not a share; write it like 2% or mail=10%", param, ctx)
        return field.strip(), float(found[1]) / 100


class SettingOf(click.ParamType):  # type: ignore[type-arg]
    """A setting of a format: `delimiter=;` for all record types, `hut.fields=code` for one."""

    name = "NAME=VALUE"

    def convert(self, value: object, param: click.Parameter | None, ctx: click.Context | None) -> tuple[str, str, str]:
        if isinstance(value, tuple):
            return value
        told, sign, text = str(value).partition("=")
        record, _, name = told.strip().rpartition(".")
        if not sign or not name:
            self.fail(f"`{value}` is not a setting; write it like delimiter=semicolon", param, ctx)
        return record, name, text


class Day(click.ParamType):  # type: ignore[type-arg]
    """A date in ISO 8601."""

    name = "DATE"

    def convert(self, value: object, param: click.Parameter | None, ctx: click.Context | None) -> date:
        try:
            return value if isinstance(value, date) else date.fromisoformat(str(value))
        except ValueError:
            self.fail(f"`{value}` is not a date; write it like 2026-06-01", param, ctx)


def variant_option(function: Function) -> Function:
    """The variants of a schema."""
    help_text = "Apply a variant of the schema, such as peak. May be repeated."
    return click.option("--variant", "variants", multiple=True, metavar="NAME", help=help_text)(function)


def with_option(function: Function) -> Function:
    """The settings of a format."""
    help_text = "A setting of the format, such as delimiter=semicolon; `yurt formats` lists them. May be repeated."
    return click.option("--with", "withs", multiple=True, type=SettingOf(), metavar="NAME=VALUE", help=help_text)(
        function
    )


def schema_or_fields(function: Function) -> Function:
    """The schema file and a record type in it, or fields on the command line."""
    help_text = "A field such as 'age: integer 18..90', instead of a schema. May be repeated."
    function = click.option("--field", "fields", multiple=True, metavar="LINE", help=help_text)(function)
    help_text = "Replace a field for this run: --set 'stay.party=integer 10..12'. May be repeated."
    function = click.option("--set", "replaced", multiple=True, metavar="FIELD=LINE", help=help_text)(function)
    function = variant_option(function)
    function = click.argument("record", required=False)(function)
    return click.argument("schema", type=click.Path(path_type=Path), required=False)(function)


def lines_of_files(function: Function) -> Function:
    """The lines of commands that write existing files again, and how the files are read and written."""
    for option in (
        click.option("--read-with", "read_withs", multiple=True, type=SettingOf(), metavar="NAME=VALUE",
                     help="A setting of the format of DATA, such as delimiter=semicolon. May be repeated."),
        click.option("--read-format", "read_kind", type=click.Choice(FILE_FORMATS),
                     help="The format of DATA. Default: the format named by the suffix."),
        with_option,
        click.option("--format", "kind", type=click.Choice(FILE_FORMATS),
                     help="Default: the format named by the suffix of --out, or that of DATA."),
        click.option("--out", type=click.Path(),
                     help="A file, a folder for several files, - for standard output, or the URL of a database."),
        click.option("--diff", is_flag=True, help="Show the first rows before and after, and write nothing."),
        click.option("--field", "fields", multiple=True, metavar="LINE",
                     help="A line such as 'name: = trim(name)', instead of a schema. May be repeated."),
        click.option("--schema", "-s", type=click.Path(path_type=Path),
                     help="A schema file with the lines, by record type."),
        click.argument("data", nargs=-1, required=True),
    ):  # fmt: skip
        function = option(function)
    return function


def of_new_files(function: Function) -> Function:
    """How new values and new files of such commands come about."""
    for option in (
        click.option("--force", is_flag=True, help="Overwrite an earlier result. DATA are never overwritten."),
        click.option("--workers", type=Whole(1, 256),
                     help="The number of threads. It never changes the output. Default: one per core."),
        click.option("--today", type=Day(),
                     help="The value of `today`. Default: the date in the schema, or the current date."),
        click.option("--locale", metavar="TAG",
                     help="The locale of new values, such as de-AT. Default: as in the schema."),
    ):  # fmt: skip
        function = option(function)
    return function


def run_options(function: Function) -> Function:
    """The options that determine a run: seed, date, and counts."""
    for option in (
        click.option(
            "--locale", metavar="TAG", help="The locale of all records, such as de-AT. Default: as in the schema."
        ),
        click.option("--scale", type=Factor(), default=1.0, help="Multiply all counts. Child records follow."),
        click.option(
            "--count",
            type=Whole(0, MAX_COUNT),
            help="The number of rows of each record type that is not counted per parent.",
        ),
        click.option(
            "--today", type=Day(), help="The value of `today`. Default: the date in the schema, or the current date."
        ),
        click.option(
            "--seed",
            type=Whole(0, 10**18 - 1),
            help="The same seed gives the same bytes. Default: the seed in the schema, or a new one.",
        ),
    ):
        function = option(function)
    return function


@dataclass(frozen=True)
class HeldSchema:
    """A schema that is not in a file: its text, the files that it names, and the folder of those that are not here."""

    source: Source
    files: dict[str, bytes]
    folder: Path


def open_schema(
    path: Path | None, fields: tuple[str, ...] = (), replaced: tuple[str, ...] = (), variants: tuple[str, ...] = (),
    *, count: int | None = None, record: str | None = None, locale: str | None = None, held: HeldSchema | None = None,
) -> Schema:  # fmt: skip
    """Read a schema, or make one from fields. Its warnings are left to `yurt check`."""
    from yurt.core.language.read_context import Asked
    from yurt.core.language.reader import read, read_fields, read_file

    asked = Asked(count, record, known_locale(locale))

    if path is not None and fields:
        raise click.UsageError("either a schema or --field, not both")
    if fields and (replaced or variants):
        raise click.UsageError("--set and --variant replace fields of a schema; with --field write the line itself")
    if path is None and not fields and held is None:
        raise click.UsageError("a schema is missing; or give fields: --field 'age: integer 18..90'")
    parts = [each.partition("=") for each in replaced]
    for whole, (name, _, phrase) in zip(replaced, parts, strict=True):
        if "." not in name or not phrase.strip():
            raise click.UsageError(
                f"--set `{whole}` is not a field and its line; write it like 'stay.party=integer 10..12'"
            )
    phrases = {name.strip(): phrase.strip() for name, _, phrase in parts}
    if path is not None:
        return read_file(path, phrases, variants, asked)[0]
    if fields or held is None:
        return read_fields(fields, asked)[0]
    return read(held.source, phrases, variants, held.folder, asked, held.files)[0]


def output_of(schema: Schema, withs: tuple[tuple[str, str, str], ...]) -> Output:
    """Return the settings of a schema and of the command line. Raises UsageFault for an unknown record type."""
    from yurt.core.writing.output import Given, Output

    return Output(schema, tuple(Given(*each) for each in withs))


def known_locale(locale: str | None) -> str | None:
    """Return a locale of the catalogue. Raises UsageFault if there is none of that name."""
    if locale is None:
        return None
    from yurt.core.base.errors import UsageFault
    from yurt.core.base.nearest import did_you_mean
    from yurt.core.kinds.catalogue import locales

    if locale not in locales():
        hint = did_you_mean(locale, locales()) or "one of " + ", ".join(locales())
        raise UsageFault(f"there is no locale `{locale}`; {hint}")
    return locale
