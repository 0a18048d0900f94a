"""The data files of a command, and the record type of each."""

from __future__ import annotations

import io
import os
import re
import sys
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path
from typing import IO, TYPE_CHECKING

from yurt.core.base.errors import SurroundingsFault, UsageFault
from yurt.core.base.nearest import did_you_mean, no_record_type
from yurt.core.base.streams import COMPRESSED, plain_suffix
from yurt.core.base.unfinished_sets import IN_FOLDER, JOURNAL
from yurt.core.base.urls import URL, is_url

if TYPE_CHECKING:
    from yurt.core.formats.common.format import Format
    from yurt.core.model import Record, Schema
    from yurt.core.verify.verification import Data
    from yurt.core.writing.output import Output


def data_files(given: tuple[str, ...], output: Output, kind: str | None) -> dict[str, Data]:
    """Return one file per record type. The arguments are files, folders, or `-`, optionally with `RECORD=` in front."""
    found = all_files(given, output, kind)
    for name, (first, *more) in found.items():
        if more:
            raise UsageFault(f"{more[0].name}: there is a file of `{name}` already, {first.name}")
    return {name: files[0] for name, files in found.items()}


def _with_parts_together(name: str, files: list[Data]) -> list[Data]:
    """Return the files of a record type, those that are parts of one run as one. Raises UsageFault for a gap."""
    numbers = {_number(each.name): each for each in files}
    apart = None in numbers or len({Path(_file(each.name)).parent for each in files}) > 1
    if len(files) < 2 or apart or len(numbers) < len(files):
        return files
    from yurt.core.verify.in_parts import in_parts

    listed = sorted(number for number in numbers if number is not None)
    for wanted, number in enumerate(listed, 1):
        if number != wanted:
            raise UsageFault(f"{Path(files[0].name).parent}: part {wanted:,} of `{name}` is missing")
    return [in_parts([numbers[each] for each in listed])]


def _file(title: str) -> str:
    """Return the name of a file without what is read of it."""
    return title.partition(", inside ")[0]


def _number(title: str) -> int | None:
    """Return the number of a file in parts."""
    found = re.search(r"-(\d{1,9})$", stem(_file(title)))
    return int(found[1]) if found else None


def record_in(path: str) -> str:
    """Return the record type that a file is named after: `stay` for `stay.csv` and for its parts, `stay-07.csv`."""
    return re.sub(r"-\d{1,9}$", "", stem(path))


def as_a_whole(given: tuple[str, ...]) -> bool:
    """Return whether a folder, or a database without the name of a table, is among the arguments."""
    for word in given:
        url = re.fullmatch(rf"(?:([^=:/]+)=)?({URL}.*)", word)
        if (url and not url[1]) or (url is None and Path(word).is_dir()):
            return True
    return False


def all_files(given: tuple[str, ...], output: Output, kind: str | None) -> dict[str, list[Data]]:
    """Return the files of each record type, in the order of the arguments."""
    from yurt.core.base.streams import decompressing
    from yurt.core.formats.common.inside import around
    from yurt.core.verify.verification import Data
    from yurt.core.writing.nested import children_of

    found: dict[str, list[Data]] = {}
    for word in given:
        if url := re.fullmatch(rf"(?:([^=:/]+)=)?({URL}.*)", word):
            for name, data in _tables(url[2], url[1] or "", output).items():
                found.setdefault(name, []).append(data)
            continue
        record, _, path = word.rpartition("=")
        for each in _files(path, output.schema):
            named = kind or format_named_by(Path(each)) or "csv"
            for name in _records(record, each, output.schema, named):
                form = output.format(named, name).with_types(frozenset(output.schema.records))
                opener = form.encoding.decoding(decompressing(Path(each), _opener(each)))
                title = each if each != "-" else "standard input"
                children = children_of(output.schema, name) if form.inside else []
                own = around(form, children) if children else form
                found.setdefault(name, []).append(Data(title, opener, own))
                if children:
                    for child, data in _inside(output.schema, (output.schema.records[name],), title, opener, form):
                        found.setdefault(child, []).append(data)
    return {name: _with_parts_together(name, files) for name, files in found.items()}


def _records(told: str, path: str, schema: Schema, form: str) -> list[str]:
    """Return the record types of a file: one, or all of them, if its format can hold them and its name is another."""
    from yurt.core.formats import FORMATS

    known = FORMATS[form]
    several = known.together and known.read is not None and Path(path).is_file()
    if several and not told and record_in(path) not in schema.records and len(schema.records) > 1:
        inside = {each.name for each in schema.records.values() if each.count.per and known.inside}
        return [each for each in schema.records if each not in inside]
    return [_record(told, path, schema)]


def _inside(
    schema: Schema, outer: tuple[Record, ...], title: str, opener: Callable[[], IO[bytes]], form: Format
) -> Iterator[tuple[str, Data]]:  # fmt: skip
    """Yield the record types inside those of a file, to any depth, as data of their own."""
    from yurt.core.formats.common.inside import around, inside
    from yurt.core.verify.verification import Data
    from yurt.core.writing.nested import children_of

    for child in children_of(schema, outer[-1].name):
        own = around(inside(form, outer), children_of(schema, child))
        yield child, Data(f"{title}, inside {outer[-1].name}", opener, own)
        yield from _inside(schema, (*outer, schema.records[child]), title, opener, form)


def _tables(url: str, record: str, output: Output) -> dict[str, Data]:
    """Return the tables of a database: of one record type, or of every one that has a table."""
    from yurt.core.databases.address import address_of
    from yurt.core.databases.common.reading import nothing, readable
    from yurt.core.formats.database import Database
    from yurt.core.verify.verification import Data

    if record and record not in output.schema.records:
        raise UsageFault(no_record_type(record, output.schema.records))
    address = address_of(url)
    forms = {name: output.format("database", name) for name in output.schema.records}
    own = {name: form for name, form in forms.items() if isinstance(form, Database)}
    found = readable(address, output.schema.records, own, record)
    return {name: Data(f"{address.shown}, table {own[name].table or name}", nothing, each)
            for name, each in found.items()}  # fmt: skip


def forms_of(files: dict[str, list[Data]]) -> dict[str, str]:
    """Return the name of the format of each record type's files."""
    return {name: each[0].form.name for name, each in files.items()}


def format_named_by(path: Path) -> str:
    """Return the format that the suffix of a file name stands for; empty if there is none."""
    from yurt.core.formats import by_any_suffix

    return by_any_suffix().get(plain_suffix(path), "")


def format_of_output(out: Path, kind: str | None) -> str:
    """Return the format of a new file: the requested one, or the one of its suffix; CSV by default.

    Raises UsageFault for a suffix that is not the suffix of a format.
    """
    from yurt.core.formats import FORMATS, by_suffix

    if is_url(str(out).replace(":/", "://", 1)):
        raise UsageFault("this command writes files, not databases; `yurt generate` fills those")
    if kind or not out.suffix:
        return kind or "csv"
    if (named := format_named_by(out)) and plain_suffix(out) not in by_suffix():
        form = FORMATS[named]
        raise UsageFault(f"{out}: files with the suffix `{plain_suffix(out)}` are only read; write {form.suffix}")
    if not named:
        suffix = plain_suffix(out) or out.suffix
        hint = did_you_mean(suffix, by_suffix()) or "`yurt formats` lists those that there are"
        raise UsageFault(f"{out}: no format has the suffix `{suffix}`; {hint}, or set --format")
    return named


def stem(path: str) -> str:
    """Return the name of a file without its suffixes."""
    plain = Path(path)
    return (plain.with_suffix("") if plain.suffix.lower() in COMPRESSED else plain).stem


def one_file_for_all(out: str, kind: str | None) -> bool:
    """Return whether a file holds several record types: its format can, and it is not a folder."""
    from yurt.core.formats import FORMATS

    path = Path(out)
    if out in ("-", "") or path.is_dir() or out.endswith(("/", os.sep)) or not path.suffix:
        return False
    return FORMATS[format_of_output(path, kind)].together


def folder_for(out: str, names: Sequence[str]) -> None:
    """Refuse a single file name for several record types. Raises UsageFault."""
    path = Path(out)
    if len(names) > 1 and path.suffix and not path.is_dir() and not out.endswith(("/", os.sep)):
        told = f"{out} names one file, but there are {len(names)} record types"
        raise UsageFault(f"{told}; name one of {', '.join(names)}, or a folder: {path.stem}/")


def _files(path: str, schema: Schema) -> list[str]:
    """Return the files in a folder whose names are names of record types; for a file, the file itself."""
    if path == "-" or not Path(path).is_dir():
        return [path]
    if (Path(path) / JOURNAL).exists():
        raise UsageFault(f"{path} holds an unfinished run in parts; `yurt generate --resume` goes on with it")
    if (Path(path) / IN_FOLDER).is_file():
        from yurt.core.writing.receipt import read_receipt

        told = [each.name for each in read_receipt(Path(path) / IN_FOLDER).files]
        if missing := [each for each in told if not (Path(path) / each).is_file()]:
            raise UsageFault(f"{path}: {missing[0]} is missing, which {IN_FOLDER} lists")
    inside = [each for each in sorted(Path(path).iterdir()) if record_in(str(each)) in schema.records]
    found = [str(each) for each in inside if format_named_by(each)]
    if not found:
        raise UsageFault(f"{path}: no file has the name of a record type: {', '.join(schema.records)}")
    return found


def _record(told: str, path: str, schema: Schema) -> str:
    """Return the record type of a file: the one in front of its name, the one it is named after, or the only one."""
    if told:
        if told not in schema.records:
            raise UsageFault(no_record_type(told, schema.records))
        return told
    if record_in(path) in schema.records:
        return record_in(path)
    if len(schema.records) == 1:
        return next(iter(schema.records))
    if path != "-" and not Path(path).exists():
        raise UsageFault(f"there is no file {path}")
    first = next(iter(schema.records))
    raise UsageFault(
        f"{path}: which record type does it hold? Write {first}={path}, or another of {', '.join(schema.records)}"
    )


def _opener(path: str) -> Callable[[], IO[bytes]]:
    if path != "-" and (Path(path).is_file() or not Path(path).exists()):
        return lambda: opened(path)
    whole: list[bytes] = []

    def once() -> IO[bytes]:
        # Standard input and pipes can be read only once; data that is read twice is kept.
        if not whole:
            whole.append(sys.stdin.buffer.read() if path == "-" else _read(path))
        return io.BytesIO(whole[0])

    return once


def _read(path: str) -> bytes:
    with opened(path) as stream:
        return stream.read()


def opened(path: str) -> IO[bytes]:
    try:
        return Path(path).open("rb")
    except FileNotFoundError:
        raise UsageFault(f"there is no file {path}") from None
    except OSError as error:
        raise SurroundingsFault(f"{path}: {(error.strerror or str(error)).lower()}") from None
