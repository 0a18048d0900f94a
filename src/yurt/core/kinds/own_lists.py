"""A tester's own lists: a folder whose files extend or replace those of the catalogue.

`FOLDER/LOCALE/NAME.csv` adds its lines to the list NAME of that locale (`.txt` has one value per line, `.yaml` a list
of values or of mappings); `only-NAME.csv` replaces the list. Files beside the folders of the locales apply to all of
them. `LOCALE/facts.yaml` changes facts, and creates a new locale if it contains `like: de-AT`.
"""

from __future__ import annotations

import csv
import io
from pathlib import Path
from threading import Lock
from typing import Any

from yurt.core.base.caches import forget, kept
from yurt.core.base.data_classes import dataclass
from yurt.core.base.errors import YurtError
from yurt.core.base.files import regular_file
from yurt.core.base.json_object import JsonObject
from yurt.core.base.nearest import did_you_mean
from yurt.core.source.diagnostics import Findings, Source
from yurt.core.source.nodes import Mapping, Node, Scalar, Sequence

ENDINGS = (".csv", ".txt", ".yaml")
MAX_BYTES = 20_000_000
FACTS = "facts.yaml"
# The column of a list of plain values, by the name of the list.
VALUE_COLUMNS = {"given-names": "name", "family-names": "name", "cities": "city"}
# Lists of plain values with the column `text`, which need nothing else.
PLAIN = (
    "streets", "legal-forms", "words", "subjects", "predicates", "tails", "colours", "trades", "mottos", "reviews",
    "review-ends", "ticket-ends", "questions", "greetings", "marital-statuses", "districts", "second-lines", "banks",
    "second-names", "weekdays", "months", "territories", "currencies",
)  # fmt: skip
# Required columns.
NEEDED = {
    "given-names": ("name", "sex"), "family-names": ("name",),
    "cities": ("city", "region", "postal-code", "latitude", "longitude"),
    "products": ("text", "category", "low", "high"), "jobs": ("department", "female", "male", "pay"),
    "tickets": ("industry", "subject", "text"), "case-notes": ("industry", "text"),
    "industry-sentences": ("industry", "text"), "industry-reviews": ("industry", "text"),
}  # fmt: skip
# Columns of numbers that are not negative, and columns of any numbers.
POSITIVE = ("weight", "low", "high", "pay", "women", "class")
NUMBERS = ("latitude", "longitude", "altitude", *POSITIVE)


@dataclass(frozen=True)
class OwnList:
    """Lines of a list; `only` means that they replace those of the catalogue."""

    lines: list[dict[str, str]]
    only: bool


_stamps: dict[str, tuple[tuple[str, int, int], ...]] = {}
_LOCK = Lock()


def look_again(folder: str) -> None:
    """Forget the contents of a folder if one of its files has changed since."""
    paths = sorted(each for each in Path(folder).rglob("*") if each.is_file())
    stamp = tuple((str(each), each.stat().st_mtime_ns, each.stat().st_size) for each in paths)
    with _LOCK:
        if _stamps.get(folder) != stamp:
            _stamps[folder] = stamp
            forget()


def fault(folder: str) -> str:
    """Return what is wrong with the first bad file of a folder, or an empty text."""
    for path in sorted(Path(folder).rglob("*")):
        if path.suffix not in ENDINGS or not path.is_file():
            continue
        locale = "" if path.parent == Path(folder) else path.parent.name
        try:
            if path.name == FACTS:
                facts(folder, locale)
            elif (name := path.stem.removeprefix("only-")) in (known := (*NEEDED, *PLAIN)):
                read(folder, locale, name)
            else:
                hint = did_you_mean(name, known)
                return f"{path}: there is no list `{name}`" + (f"; {hint}" if hint else "")
        except YurtError as wrong:
            return str(wrong)
    return ""


def locales(folder: str) -> list[str]:
    """Return the locales with a folder of their own; raise YurtError if the folder does not exist."""
    path = Path(folder)
    if not path.is_dir():
        raise YurtError(f"there is no folder of lists {folder}")
    return sorted(each.name for each in path.iterdir() if each.is_dir())


@kept(512)
def read(folder: str, locale: str, name: str) -> OwnList | None:
    """Return a tester's list; None if there is none. Raise YurtError for a bad file."""
    lines: list[dict[str, str]] = []
    for place in (Path(folder) / locale, Path(folder)):
        for ending in ENDINGS:
            if (path := place / f"only-{name}{ending}").is_file():
                return OwnList(_lines(path, name), True)
            if (path := place / f"{name}{ending}").is_file():
                lines += _lines(path, name)
    return OwnList(lines, False) if lines else None


@kept(64)
def facts(folder: str, locale: str) -> JsonObject:
    """Return the facts of a locale in a tester's `facts.yaml`."""
    path = Path(folder) / locale / FACTS
    if not path.is_file():
        return {}
    node = _yaml(path)
    if not isinstance(node, Mapping):
        raise YurtError(f"{path}: facts are one `name: value` per line")
    return {key.text.text: _plain(value, path) for key, value in node}


def _lines(path: Path, name: str) -> list[dict[str, str]]:
    """Return the lines of a file, after checking that each fits its list."""
    column = VALUE_COLUMNS.get(name, "text")
    if path.suffix == ".yaml":
        node = _yaml(path)
        if not isinstance(node, Sequence):
            raise YurtError(f"{path}: a list has one `- value` or `- {{{column}: …}}` a line")
        found = [_line(each, column, path) for each in node.items]
    elif path.suffix == ".txt":
        found = [{column: each.strip()} for each in _text(path).splitlines() if each.strip()]
    else:
        reader = csv.DictReader(io.StringIO(_text(path)), strict=True)
        try:
            found = [{str(key): value for key, value in line.items()} for line in reader]
        except csv.Error as fault:
            raise YurtError(f"{path}:{reader.line_num}: {fault}") from None
        if any(None in line.values() or "None" in line for line in found):
            raise YurtError(f"{path}: a line has not as many cells as the header")
    _check(found, name, path)
    return found


def _check(lines: list[dict[str, str]], name: str, path: Path) -> None:
    """Raise YurtError for the first line that does not fit."""
    first = 1 if path.suffix != ".csv" else 2
    if not lines:
        raise YurtError(f"{path}: the list is empty")
    for number, line in enumerate(lines, first):
        for column in NEEDED.get(name, ()):
            if not line.get(column, "").strip():
                raise YurtError(f"{path}:{number}: `{column}` is missing; a line has {', '.join(NEEDED.get(name, ()))}")
        if line.get("sex", "") not in ("", "female", "male"):
            raise YurtError(f"{path}:{number}: `{line['sex']}` is not a sex; expected female or male")
        for column in NUMBERS:
            try:
                number_of = float(line.get(column) or 0)
            except ValueError:
                raise YurtError(f"{path}:{number}: `{column}` is a number, not `{line[column]}`") from None
            if not abs(number_of) < 1e12 or (column in POSITIVE and number_of < 0):
                raise YurtError(f"{path}:{number}: `{column}` is out of range: {line[column]}")


def _line(node: Node, column: str, path: Path) -> dict[str, str]:
    found = _plain(node, path)
    return found if isinstance(found, dict) else {column: found}


def _plain(node: Node, path: Path) -> Any:
    """Return a value or a flat mapping of values as texts."""
    if isinstance(node, Mapping):
        return {key.text.text: _plain(value, path) for key, value in node}
    if isinstance(node, Scalar):
        return node.text.text
    raise YurtError(f"{path}: a nested list")


def _yaml(path: Path) -> Node | None:
    findings = Findings(Source(str(path), _text(path)))
    # Most schemas have no lists of their own.
    from yurt.core.source.yaml_nodes import read as read_yaml

    node = read_yaml(findings)
    findings.raise_if_any()
    return node


def _text(path: Path) -> str:
    """Return the text of a file; raise YurtError if it is too large or not a text."""
    if not regular_file(path) or path.stat().st_size > MAX_BYTES:
        raise YurtError(f"{path}: not a file of at most {MAX_BYTES // 1_000_000} MB")
    try:
        return path.read_text("utf-8-sig")
    except UnicodeDecodeError as fault:
        raise YurtError(f"{path}: not UTF-8 text (byte {fault.start})") from None
    except OSError as fault:
        raise YurtError(f"{path} cannot be read: {fault.strerror}") from None
