"""Puts sheets into a workbook that is there, part by part: nothing else in it is read, so all of it stays as it is.

A workbook is a package (ECMA-376, part 2): sheets are parts of their own, and refer to the styles of the workbook by
number. So the styles of our sheets are added behind those that are there, and their numbers are moved.
"""

from __future__ import annotations

import re
import tempfile
import zipfile
import zlib
from collections.abc import Iterator
from pathlib import Path
from typing import IO
from xml.sax.saxutils import quoteattr, unescape

from yurt.core.base.errors import SurroundingsFault, UsageFault

BOOK, RELATIONS, TYPES = "xl/workbook.xml", "xl/_rels/workbook.xml.rels", "[Content_Types].xml"
STYLES = "xl/styles.xml"
REFERENCES = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
KIND = f"{REFERENCES}/worksheet"
CONTENT = "application/vnd.openxmlformats-officedocument.spreadsheetml.worksheet+xml"
# Excel begins its own number formats there.
FIRST_FORMAT = 164
MOST_BYTES, PIECE = 1 << 30, 1 << 20


def merged(own: IO[bytes], path: str) -> IO[bytes]:
    """Return the workbook at a path with the sheets of our own in it: instead of those with the same names, or behind.

    Raises UsageFault for a file that is no such workbook.
    """
    if not Path(path).is_file():
        raise UsageFault(f"`workbook`: there is no file {path}")
    try:
        with zipfile.ZipFile(path) as old, zipfile.ZipFile(own) as new:
            if sum(each.file_size for each in old.infolist()) > MOST_BYTES:
                raise UsageFault(f"{path}: the workbook is too large")
            return _Merge(old, new).whole()
    except (zipfile.BadZipFile, zlib.error, KeyError, EOFError, NotImplementedError, RuntimeError, ValueError):
        raise UsageFault(f"{path}: not a workbook in the format of .xlsx") from None
    except OSError as fault:
        raise SurroundingsFault(f"{path}: {(fault.strerror or str(fault)).lower()}") from None


class _Merge:
    """The parts of the old workbook, changed where sheets of the new one come in."""

    def __init__(self, old: zipfile.ZipFile, new: zipfile.ZipFile) -> None:
        self.old, self.new = old, new
        self.book, self.relations = self._old(BOOK), self._old(RELATIONS)
        self.types, self.styles = self._old(TYPES), self._old(STYLES)
        marks = ((self.book, "</sheets>"), (self.relations, "</Relationships>"), (self.types, "</Types>"),
                 (self.styles, "</cellXfs>"))  # fmt: skip
        if any(mark not in text for text, mark in marks):
            raise UsageFault("the `workbook` writes its parts in another way; save it once in a spreadsheet program")
        # Our own part for each part of a sheet.
        self.sheets: dict[str, str] = {}
        self.gone: set[str] = set()

    def _old(self, part: str) -> str:
        return self.old.read(part).decode()

    def whole(self) -> IO[bytes]:
        """Return the merged file."""
        before = self._add_styles()
        targets = dict(_relations(self.new.read(RELATIONS).decode()))
        for name, ident in _sheets(self.new.read(BOOK).decode()):
            self._sheet(name, f"xl/{targets[ident]}")
        # The order of calculation names cells that may be gone; programs make it again.
        self.gone.add("xl/calcChain.xml")
        self.types = re.sub(r'<Override[^>]*PartName="/xl/calcChain\.xml"[^>]*/>', "", self.types)
        self.relations = re.sub(r'<Relationship\b[^>]*Target="calcChain\.xml"[^>]*/>', "", self.relations)
        changed = {
            BOOK: self.book.encode(), RELATIONS: self.relations.encode(), TYPES: self.types.encode(),
            STYLES: self.styles.encode(),
        }  # fmt: skip
        found: IO[bytes] = tempfile.TemporaryFile()  # noqa: SIM115
        with zipfile.ZipFile(found, "w", zipfile.ZIP_DEFLATED) as out:
            for each in self.old.infolist():
                if each.filename not in self.gone and each.filename not in self.sheets:
                    data = changed.get(each.filename)
                    out.writestr(each, self.old.read(each.filename) if data is None else data)
            for part, own in self.sheets.items():
                info = zipfile.ZipInfo(part, (2000, 1, 1, 0, 0, 0))
                info.compress_type = zipfile.ZIP_DEFLATED
                with self.new.open(own) as stream, out.open(info, "w", force_zip64=True) as sheet:
                    for piece in _moved(stream, before):
                        sheet.write(piece)
        return found

    def _sheet(self, name: str, own: str) -> None:
        """Put a sheet in the place of the one with its name, or behind all others."""
        targets = dict(_relations(self.relations))
        there = {own.casefold(): ident for own, ident in _sheets(self.book)}
        if name.casefold() in there:
            target = targets[there[name.casefold()]].removeprefix("/xl/")
            self.sheets[f"xl/{target}"] = own
            # What the old sheet refers to (tables, drawings, comments) belongs to it.
            folder, _, file = target.rpartition("/")
            self.gone.add(f"xl/{folder}/_rels/{file}.rels")
            return
        number = next(at for at in range(1, 10_000) if f"xl/worksheets/sheet{at}.xml" not in self._parts())
        ident = next(f"yurt{at}" for at in range(1, 10_000) if f"yurt{at}" not in targets)
        key = max((int(each) for each in re.findall(r'\bsheetId="(\d+)"', self.book)), default=0) + 1
        part = f"worksheets/sheet{number}.xml"
        self.sheets[f"xl/{part}"] = own
        # Where the workbook itself declares the prefix differs between programs.
        element = f'<sheet xmlns:r="{REFERENCES}" name={quoteattr(name)} sheetId="{key}" r:id="{ident}"/>'
        self.book = self.book.replace("</sheets>", element + "</sheets>", 1)
        self.relations = self.relations.replace(
            "</Relationships>", f'<Relationship Id="{ident}" Type="{KIND}" Target="{part}"/></Relationships>', 1
        )
        self.types = self.types.replace(
            "</Types>", f'<Override PartName="/xl/{part}" ContentType="{CONTENT}"/></Types>', 1
        )

    def _parts(self) -> set[str]:
        return {*self.old.namelist(), *self.sheets}

    def _add_styles(self) -> int:
        """Add the styles of the new workbook; return how many there were."""
        ours = self.new.read(STYLES).decode()
        formats = dict(re.findall(r'<numFmt numFmtId="(\d+)" formatCode="([^"]*)"', ours))
        used = [int(each) for each in re.findall(r'<numFmt [^>]*\bnumFmtId="(\d+)"', self.styles)]
        first = max([FIRST_FORMAT - 1, *used]) + 1
        numbers = {own: str(first + at) for at, own in enumerate(formats)}
        told = "".join(f'<numFmt numFmtId="{numbers[own]}" formatCode="{code}"/>' for own, code in formats.items())
        self.styles = _appended(self.styles, "numFmts", told, len(formats), before="<fonts")
        fonts = _inside(ours, "fonts")
        had = self._count("fonts")
        self.styles = _appended(self.styles, "fonts", fonts, fonts.count("<font>"), before="<fills")
        styles = re.sub(r'fontId="(\d+)"', lambda each: f'fontId="{had + int(each[1])}"', _inside(ours, "cellXfs"))
        styles = re.sub(r'numFmtId="(\d+)"', lambda each: f'numFmtId="{numbers.get(each[1], each[1])}"', styles)
        before = self._count("cellXfs")
        self.styles = _appended(self.styles, "cellXfs", styles, styles.count("<xf "), before="<cellStyles")
        return before

    def _count(self, name: str) -> int:
        found = re.search(rf'<{name}\b[^>]*\bcount="(\d+)"', self.styles)
        return int(found[1]) if found else 0


def _appended(text: str, name: str, more: str, count: int, before: str) -> str:
    """Return styles with more elements at the end of a list; without such a list, it is put in front of another."""
    if not count:
        return text
    if not re.search(rf"<{name}\b", text):
        return text.replace(before, f'<{name} count="{count}">{more}</{name}>{before}', 1)
    counted = rf'(<{name}\b[^>]*\bcount=")(\d+)"'
    text = re.sub(counted, lambda each: f'{each[1]}{int(each[2]) + count}"', text, count=1)
    return text.replace(f"</{name}>", more + f"</{name}>", 1)


def _inside(text: str, name: str) -> str:
    found = re.search(rf"<{name}\b[^>]*>(.*?)</{name}>", text, re.DOTALL)
    return found[1] if found else ""


def _sheets(book: str) -> list[tuple[str, str]]:
    """Return the names of the sheets of a workbook, each with the name of its relation."""
    found = re.findall(r'<sheet\b[^>]*?\bname="([^"]*)"[^>]*?\b\w+:id="([^"]*)"', book)
    return [(unescape(name, {"&quot;": '"', "&apos;": "'"}), ident) for name, ident in found]


def _relations(text: str) -> list[tuple[str, str]]:
    parts = re.findall(r"<Relationship\b[^>]*>", text)
    pairs = ((re.search(r'\bId="([^"]*)"', each), re.search(r'\bTarget="([^"]*)"', each)) for each in parts)
    return [(ident[1], target[1]) for ident, target in pairs if ident and target]


def _moved(sheet: IO[bytes], before: int) -> Iterator[bytes]:
    """Yield a sheet, in pieces, whose cells have styles with other numbers."""

    def number(found: re.Match[bytes]) -> bytes:
        return found[1] + str(int(found[2]) + before).encode() + b'"'

    rest = b""
    while piece := sheet.read(PIECE):
        whole, mark, rest = (rest + piece).rpartition(b">")
        whole = re.sub(rb'(<(?:c|row|col)\b[^>]*? (?:s|style)=")(\d+)"', number, whole + mark)
        # The first style of the workbook that is there need not be a plain one.
        whole = re.sub(rb'<c (r="[A-Z]+\d+")(?![^>]* s=)', b'<c \\1 s="' + str(before).encode() + b'"', whole)
        yield whole.replace(b' tabSelected="1"', b"")
    yield rest
