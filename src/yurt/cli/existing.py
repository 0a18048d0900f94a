"""What `yurt extend` and `yurt disguise` share: the existing files of a call, their lines, and the new files."""

from __future__ import annotations

import os
import re
import shutil
import sys
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import IO, TYPE_CHECKING

from yurt.api.data_files import format_named_by, format_of_output, stem
from yurt.core.base.data_classes import dataclass
from yurt.core.base.errors import UsageFault
from yurt.core.base.nearest import no_record_type
from yurt.core.base.streams import decompressing, plain_suffix
from yurt.core.base.urls import URL, is_url
from yurt.core.base.working_folder import working_folder

if TYPE_CHECKING:
    from yurt.core.databases.common.copied import Copied
    from yurt.core.databases.common.loading import Loading
    from yurt.core.existing.columns import Existing, Survey
    from yurt.core.formats.common.format import Format
    from yurt.core.formats.database import Database
    from yurt.core.model import Schema

Setting = tuple[str, str, str]
STDIN = "-"


@dataclass(frozen=True)
class Reads:
    """How the existing files are read: their format, unless their suffixes name it, and settings of it."""

    kind: str | None
    withs: tuple[Setting, ...]

    def form(self, path: str) -> Format:
        """Return the format of a file. Raises UsageFault for one that is only written."""
        from yurt.core.formats import FORMATS, configured

        named = self.kind or format_named_by(Path(path)) or "csv"
        if FORMATS[named].read is None:
            raise UsageFault(f"{path}: `{named}` is only written, not read")
        return configured(named, {name: value for _, name, value in self.withs})


@dataclass
class Source:
    """An existing file of the call: the record type whose lines are about it, and what is known of its columns."""

    path: str
    file: Existing
    survey: Survey | None = None


def record_names(given: tuple[str, ...], schema_names: list[str]) -> list[tuple[str, str]]:
    """Return the record type and the path of each file; `schema_names` are empty without a schema.

    Raises UsageFault for a file whose record type is not clear.
    """
    found: list[tuple[str, str]] = []
    for word in given:
        if url := re.fullmatch(rf"(?:([^=:/]+)=)?({URL}.*)", word):
            found += [(name, url[2]) for name in _tables(url[1] or "", url[2], schema_names)]
            continue
        told, _, path = word.rpartition("=")
        for each in _paths(path, schema_names):
            found.append((_record(told, each, schema_names), each))
    names = [name for name, _ in found]
    if doubled := [name for name in names if names.count(name) > 1]:
        raise UsageFault(f"two files are `{doubled[0]}`; one run takes one file of a record type")
    return found


def _tables(told: str, url: str, names: list[str]) -> list[str]:
    """Return the record types whose tables are read from a database."""
    if told and names and told not in names:
        raise UsageFault(no_record_type(told, names))
    if told:
        return [told]
    if not names:
        raise UsageFault(f"which table of the database? Write its name in front: hiker={url.partition('://')[0]}://…")
    from yurt.core.databases.address import address_of
    from yurt.core.databases.common.reading import readable
    from yurt.core.existing.columns import record_of

    return list(readable(address_of(url), {name: record_of(name, []) for name in names}, _settings(names)))


def _settings(names: list[str]) -> dict[str, Database]:
    from typing import cast

    from yurt.core.formats import configured

    return dict.fromkeys(names, cast("Database", configured("database", {})))


def _paths(path: str, names: list[str]) -> list[str]:
    if path == STDIN or not Path(path).is_dir():
        return [path]
    inside = sorted(
        str(each) for each in Path(path).iterdir() if each.is_file() and format_named_by(each)
        and (not names or stem(str(each)) in names)
    )  # fmt: skip
    if not inside:
        raise UsageFault(f"{path}: no file has the name of a record type: {', '.join(names) or 'name one file'}")
    return inside


def _record(told: str, path: str, names: list[str]) -> str:
    if told:
        if names and told not in names:
            raise UsageFault(no_record_type(told, names))
        return told
    own = re.sub(r"\W+", "_", stem(path)).strip("_") if path != STDIN else ""
    if not names:
        return own if re.fullmatch(r"[^\W\d]\w*", own) else "record"
    if own in names:
        return own
    if len(names) == 1:
        return names[0]
    raise UsageFault(f"{path}: which lines are about it? Write {names[0]}={path}, or another of {', '.join(names)}")


@contextmanager
def opened_sources(
    files: list[tuple[str, str]], reads: Reads, target: Path | None = None
) -> Iterator[list[Source]]:  # fmt: skip
    """Yield the files with the titles of their columns; standard input is kept beside a target for the time."""
    from yurt.core.existing.columns import existing_file

    with working_folder(target) as folder:
        found = []
        for record, path in files:
            if is_url(path):
                found.append(Source(path, table_of(record, path)))
                continue
            form = reads.form(path)
            opener = form.encoding.decoding(decompressing(Path(path), _opener(path, folder)))
            title = path if path != STDIN else "standard input"
            found.append(Source(path, existing_file(title, opener, form, record)))
        yield found


def table_of(record: str, url: str) -> Existing:
    """Return a table of a database as an existing file."""
    from yurt.core.databases.address import address_of
    from yurt.core.databases.common.reading import nothing, readable
    from yurt.core.existing.columns import existing_file, record_of

    address = address_of(url)
    form = readable(address, {record: record_of(record, [])}, _settings([record]), record)[record]
    return existing_file(f"{address.shown}, table {record}", nothing, form, record)


def copied_tables(schema: Schema, sources: Iterable[Source], longer: bool) -> dict[str, Copied]:
    """Return the tables among the sources, by record type, as examples for new ones, which may be `longer`."""
    from contextlib import closing

    from yurt.core.databases.address import address_of
    from yurt.core.databases.common.copied import Copied
    from yurt.core.databases.connecting import connected
    from yurt.core.existing.kept_columns import kept_columns

    found = {}
    for each in sources:
        if is_url(each.path):
            name = each.file.record
            with closing(connected(address_of(each.path), reading=True)) as connection:
                structure = connection.structure(name)
                assert structure is not None
                origins = kept_columns(schema.records[name], each.file, longer)
                found[name] = Copied(connection.dialect.name, structure, origins)
    return found


def loaded_table(loading: Loading, record: str, shown: str) -> Existing:
    """Return a table that is filled, and not yet committed, as an existing file."""
    from yurt.core.databases.common.reading import nothing, readable_now
    from yurt.core.existing.columns import existing_file, record_of

    form, structure = loading.forms[record], loading.structures[record]
    found = readable_now(loading.connection, record_of(record, []), form, structure)
    return existing_file(f"{shown}, table {structure.table}", nothing, found, record)


def _opener(path: str, folder: Path) -> Callable[[], IO[bytes]]:
    from yurt.api.data_files import opened

    if path != STDIN and (Path(path).is_file() or not Path(path).exists()):
        return lambda: opened(path)
    kept = folder / "input"
    with kept.open("wb") as out:
        if path == STDIN:
            shutil.copyfileobj(sys.stdin.buffer, out)
        else:
            with opened(path) as stream:
                shutil.copyfileobj(stream, out)
    return lambda: kept.open("rb")


def targets(sources: list[Source], out: str | None, kind: str | None) -> list[Path | None]:
    """Return the new file of each existing one; None for standard output. Raises UsageFault for an existing file."""
    if out is None or out == STDIN:
        if len(sources) > 1:
            raise UsageFault("several files need a folder: --out FOLDER")
        return [None]
    if is_url(out):
        return [Path(out) for _ in sources]
    path = Path(out)
    folder = len(sources) > 1 or out.endswith(("/", os.sep)) or path.is_dir()
    if folder and path.suffix and not path.is_dir() and not out.endswith(("/", os.sep)):
        raise UsageFault(f"{out} names one file, but there are {len(sources)}; name a folder: {path.stem}/")
    found: list[Path | None] = [path / _name(each, kind) if folder else path for each in sources]
    files = [each.path for each in sources if each.path != STDIN and not is_url(each.path)]
    originals = {Path(each).resolve() for each in files}
    for target in found:
        if target is not None and target.resolve() in originals:
            raise UsageFault(f"{target} is the file that is read; it is never overwritten. Name another with --out")
    return found


def _name(source: Source, kind: str | None) -> str:
    from yurt.core.formats import FORMATS, by_suffix

    if is_url(source.path):
        return source.file.record + (FORMATS[kind].suffix if kind is not None else ".csv")
    if source.path == STDIN or kind is not None or plain_suffix(Path(source.path)) not in by_suffix():
        own = stem(source.path) if source.path != STDIN else source.file.record
        return own + FORMATS[kind or source.file.form.name].suffix
    return Path(source.path).name


def form_of(source: Source, target: Path | None, kind: str | None) -> str:
    """Return the name of the format of a new file: that of its suffix, else that of the existing one."""
    if target is not None and is_url(str(target).replace(":/", "://", 1)):
        return "database"
    if target is None:
        return kind or _written(source)
    return format_of_output(target, kind) if kind or target.suffix else _written(source)


def _written(source: Source) -> str:
    from yurt.core.formats import by_suffix

    return source.file.form.name if source.file.form.name in by_suffix().values() else "csv"


def carried(source: Source, name: str, reads: Reads, withs: tuple[Setting, ...]) -> tuple[Setting, ...]:
    """Return the settings of a new file: in the same format, those with which the existing one is read come first."""
    if name != source.file.form.name:
        return withs
    told = {setting for record, setting, _ in withs if record in ("", source.file.record)}
    if name == "xlsx" and "workbook" not in told and _has_more_sheets(source):
        withs = (*withs, (source.file.record, "workbook", source.path))
    return (*((source.file.record, setting, value) for _, setting, value in reads.withs if setting not in told), *withs)


def _has_more_sheets(source: Source) -> bool:
    """Return whether the sheet of a workbook is one of several: the others are passed on as they are."""
    import python_calamine as calamine

    if Path(source.path).suffix.lower() != ".xlsx":
        return False
    names = calamine.CalamineWorkbook.from_path(source.path).sheet_names
    return len(names) > 1 and source.file.record in names


def _fixes(name: str) -> bool:
    """Return whether new fields may depend on a column that no line names: the age of a person."""
    from yurt.core.kinds.catalogue import FIXES_AS_NUMBER
    from yurt.core.kinds.synonyms import hyphenated

    return hyphenated(name) in FIXES_AS_NUMBER


def surveyed(
    source: Source, schema_text: str, form: Format, workers: int, count: bool, ages: bool
) -> Survey:  # fmt: skip
    """Return what a pass over a file says; without columns whose type matters, and without need to `count`, none is
    made.

    The type matters where the lines name the column, and for all columns if the new format has types that the old one
    does not tell. With `ages`, new persons have the age of the row.
    """
    from yurt.core.existing.columns import Survey, survey
    from yurt.core.language.over_columns import field_names

    # The names of fields are in front of their lines; only the lines themselves read a column.
    lines = re.sub(r"(?m)^\s*\w+\s*:", "", schema_text)
    words = set(re.findall(r"\w+", lines))
    names = field_names(list(source.file.titles))
    wanted = [
        title for title, name in names.items() if name in words or f'"{title}"' in lines or (ages and _fixes(name))
    ]
    own = source.file.form
    if form.typed and not own.columnar and not (own.typed and form.holds_anything):
        wanted = list(source.file.titles)
    if not wanted and not count:
        return Survey(-1, {})
    return survey(source.file, wanted, workers, count)


def text_of_lines(schema: Path | None, fields: tuple[str, ...]) -> str:
    """Return the text in which the names of columns are looked for."""
    from yurt.core.language.reuse import text_of_file

    return text_of_file(schema) if schema is not None else "\n".join(fields)


def record_types(schema: Path | None, text: str) -> list[str]:
    """Return the names of the record types of a schema file, before its lines are read."""
    if schema is None:
        return []
    from yurt.core.source.diagnostics import Findings, Source
    from yurt.core.source.nodes import Mapping
    from yurt.core.source.yaml_nodes import read

    root = read(Findings(Source(str(schema), text)))
    records = (
        next((value for key, value in root if key.text.text == "records"), None) if isinstance(root, Mapping) else None
    )
    return [key.text.text for key, _ in records] if isinstance(records, Mapping) else []


def schema_over(
    schema: Path | None, fields: tuple[str, ...], sources: list[Source], locale: str | None
) -> Schema:  # fmt: skip
    """Return the schema of the lines, over the columns of the files."""
    from yurt.cli.options import known_locale
    from yurt.core.existing.columns import type_of
    from yurt.core.language.read_context import Asked
    from yurt.core.language.reader import read_fields, read_file

    columns = {
        each.file.record: {
            title: type_of(each.survey.types.get(title) if each.survey is not None else None)
            for title in each.file.titles
        }
        for each in sources
    }
    asked = Asked(None, None, known_locale(locale), columns)
    if schema is not None:
        return read_file(schema, asked=asked)[0]
    return read_fields(fields, asked, name=sources[0].file.record)[0]
