"""Receipts: everything that a run needs to be made again, and the digest of each of its files."""

from __future__ import annotations

import hashlib
import json
import os
import re
from collections.abc import Iterable, Iterator, Mapping
from datetime import UTC, datetime
from pathlib import Path

from yurt.core.base.data_classes import dataclass, field
from yurt.core.base.digests import SHA256, sha256_of
from yurt.core.base.errors import SurroundingsFault, UsageFault
from yurt.core.base.json_object import JsonObject
from yurt.core.base.urls import secrets_in
from yurt.core.base.versions import versions
from yurt.core.model import Schema
from yurt.core.source.diagnostics import Source
from yurt.core.writing.output import Given, Output
from yurt.core.writing.request import Request

# The first member of a receipt, with the number of its layout.
MARK, LAYOUT = "yurt-receipt", 1
# A larger file that the schema names is in the receipt by its digest only.
EMBEDDED = 1_000_000
MOST_BYTES = 1 << 30


@dataclass(frozen=True)
class Made:
    """A file of a run, or the rows of a table: its name inside the output, its rows, its bytes, and their digest.

    The bytes of a table are those that its rows would have as JSON Lines, in their order. A file without a number of
    rows holds several record types, or answers.
    """

    name: str
    size: int
    sha256: str
    rows: int | None = None

    def as_data(self) -> JsonObject:
        """Return it as plain data."""
        rows = {} if self.rows is None else {"rows": self.rows}
        return {"name": self.name, **rows, "bytes": self.size, "sha256": self.sha256}

    @classmethod
    def of_data(cls, data: JsonObject) -> Made:
        """Return the file of plain data. Raises KeyError, TypeError, or ValueError for what is none."""
        name, rows = data["name"], data.get("rows")
        inside = isinstance(name, str) and not Path(name).is_absolute() and ".." not in Path(name).parts
        whole = [data["bytes"], *([] if rows is None else [rows])]
        if not inside or not re.fullmatch(SHA256, data["sha256"]) or any(type(each) is not int for each in whole):
            raise ValueError(name)
        return cls(name, data["bytes"], data["sha256"], rows)


@dataclass(frozen=True)
class Held:
    """A file that a schema names, as a receipt knows it: what was in it, unless it is large."""

    name: str
    size: int
    sha256: str
    text: str | None = None


@dataclass(frozen=True)
class Receipt:
    """The receipt of a run. `target` is `file`, `folder`, or `database`; `out` is the name of the file that was asked
    for, from which those of several files are made.
    """

    schema: Source
    held: tuple[Held, ...]
    request: Request
    target: str
    files: tuple[Made, ...]
    out: str = ""
    versions: dict[str, str] = field(default_factory=versions)
    made: str = field(default_factory=lambda: datetime.now(UTC).isoformat(timespec="seconds"))

    def as_data(self) -> JsonObject:
        """Return the receipt as plain data."""
        named = [
            {"name": each.name, "bytes": each.size, "sha256": each.sha256}
            | ({} if each.text is None else {"text": each.text})
            for each in self.held
        ]
        text = self.schema.text
        schema = {"name": self.schema.name, "sha256": _digest(text), "text": text}
        return {
            MARK: LAYOUT, "made": self.made, "versions": self.versions,
            "schema": None if self.request.fields else schema,
            "named-files": named, "options": self.request.as_data(), "target": self.target, "out": self.out,
            "files": [each.as_data() for each in self.files],
        }  # fmt: skip

    @property
    def schema_digest(self) -> str:
        """The digest of the schema with all files that it names."""
        return _digest("\0".join([self.schema.text, *(f"{each.name} {each.sha256}" for each in self.held)]))

    @property
    def text(self) -> str:
        """The receipt as JSON, in UTF-8."""
        return json.dumps(self.as_data(), ensure_ascii=False, indent=1) + "\n"

    def contents(self, folder: Path) -> dict[str, bytes]:
        """Return what is in the files that the schema names. Those that are not in the receipt are read from a folder.

        Raises UsageFault for a file that is missing, or not the one of the run.
        """
        found = {}
        for each in self.held:
            path = folder / each.name
            try:
                content = path.read_bytes() if each.text is None else each.text.encode()
            except OSError:
                told = f"{path} is needed: {each.size:,} bytes with the SHA-256 {each.sha256}"
                raise UsageFault(f"{told}; name its folder: --files FOLDER") from None
            if hashlib.sha256(content).hexdigest() != each.sha256:
                raise UsageFault(f"{path} is not the file of the run, which has the SHA-256 {each.sha256}")
            found[each.name] = content
        return found


def receipt_of(schema: Schema, request: Request, target: str, files: Iterable[Made], out: str = "") -> Receipt:
    """Return the receipt of a run. Raises UsageFault if the schema holds a password, or its files have changed,
    and for templates."""
    text = schema.source.own_text
    if secrets_in(text):
        raise UsageFault("the schema holds a password, which a receipt would repeat; take it out of the schema")
    _refuse_templates(schema, request)
    held = []
    for each in schema.files:
        content = _unchanged(each.path, each.sha256) if each.path is not None else b""
        small = each.size <= EMBEDDED and each.path is not None
        held.append(Held(each.name, each.size, each.sha256, content.decode() if small else None))
    held += _lists(schema)
    return Receipt(Source(Path(schema.source.name).name, text), tuple(held), request, target, tuple(files), out)


def _refuse_templates(schema: Schema, request: Request) -> None:
    output = Output(schema, tuple(Given(*each) for each in request.settings))
    for name in [request.record] if request.record else schema.records:
        if template := output.format(request.format, name).template_file:
            raise UsageFault(f"a receipt does not hold the template {template}; it is for other formats")


def _lists(schema: Schema) -> Iterator[Held]:
    """Yield the files of a schema's own folder of lists."""
    if schema.catalogue:
        for path in sorted(each for each in Path(schema.catalogue).rglob("*") if each.is_file()):
            name = os.path.relpath(path, Path(schema.source.name).parent)
            yield Held(Path(name).as_posix(), path.stat().st_size, sha256_of(path))


def made_of_files(complete: Mapping[Path, Path], folder: Path, rows: Mapping[Path, int]) -> list[Made]:
    """Return what a receipt says of the files of a set: by their paths, where their bytes are until they get their
    names. `rows` has the rows of those that hold one record type.
    """
    # A link stays, and the file that it leads to is another.
    known = {Path(os.path.realpath(path)): count for path, count in rows.items()}
    return [
        Made(
            path.relative_to(folder).as_posix() if path.is_relative_to(folder) else path.name,
            each.stat().st_size, sha256_of(each), known.get(Path(os.path.realpath(path))),
        )
        for path, each in complete.items()
    ]  # fmt: skip


def _unchanged(path: Path, sha256: str) -> bytes:
    content = path.read_bytes()
    if hashlib.sha256(content).hexdigest() != sha256:
        raise UsageFault(f"{path} has changed while the records were made")
    return content


def _digest(text: str) -> str:
    return hashlib.sha256(text.encode()).hexdigest()


def read_receipt(path: Path) -> Receipt:
    """Return the receipt in a file. Raises UsageFault for anything else."""
    try:
        with path.open("rb") as stream:
            raw = stream.read(MOST_BYTES + 1)
    except FileNotFoundError:
        raise UsageFault(f"there is no file {path}") from None
    except OSError as fault:
        raise SurroundingsFault(f"{path}: {(fault.strerror or str(fault)).lower()}") from None
    return receipt_in(raw, str(path))


def receipt_in(content: bytes, name: str) -> Receipt:
    """Return the receipt in some bytes; `name` is for messages. Raises UsageFault for anything else."""
    try:
        return _of_data(json.loads(content))
    except (ValueError, TypeError, KeyError, AttributeError, RecursionError):
        raise UsageFault(f"{name} is not a receipt; `yurt generate --receipt FILE` writes one") from None


def _of_data(data: JsonObject) -> Receipt:
    """Raises KeyError, TypeError, ValueError, or AttributeError for what is no receipt."""
    # Half a character has no bytes, and the end of a text is in no name.
    if b"\\u0000" in json.dumps(data, ensure_ascii=False).encode():
        raise ValueError(MARK)
    # A receipt of nothing would prove everything.
    if not data["files"] or data[MARK] != LAYOUT or data["target"] not in ("file", "folder", "database"):
        raise ValueError(MARK)
    schema = data["schema"] or {"name": "--field", "text": ""}
    if data["schema"] and _digest(schema["text"]) != schema["sha256"]:
        raise UsageFault("the schema in the receipt has been changed: its digest is another one")
    held = tuple(
        Held(str(each["name"]), int(each["bytes"]), str(each["sha256"]), each.get("text"))
        for each in data["named-files"]
    )
    return Receipt(
        Source(str(schema["name"]), str(schema["text"])), held, Request.of_data(data["options"]), data["target"],
        tuple(map(Made.of_data, data["files"])), _name(data["out"]),
        {str(name): str(version) for name, version in data["versions"].items()}, str(data["made"]),
    )  # fmt: skip


def _name(out: str) -> str:
    """Return a name that leads to no other folder. Raises ValueError."""
    if out != Path(out).name:
        raise ValueError(out)
    return out


def differences(files: Iterable[Made], there: Mapping[str, Path]) -> list[str]:
    """Return in words which files are not as a receipt has them; `there` are the files by their names in it."""
    found = []
    for each in files:
        path = there[each.name]
        try:
            size = path.stat().st_size
            same = size == each.size and sha256_of(path) == each.sha256
        except OSError as fault:
            found.append(f"{path}: {(fault.strerror or str(fault)).lower()}")
            continue
        if not same:
            told = f"{size:,} bytes instead of {each.size:,}" if size != each.size else "other bytes of the same number"
            found.append(f"{path}: {told}")
    return found
