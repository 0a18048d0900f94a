"""Lines of fixed width: every field has its place, by a layout such as `code 8, beds 5 right 0`."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import IO

import numpy as np
import pyarrow as pa

from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow, flags, joined, nothing, strings, word
from yurt.core.base.data_classes import dataclass
from yurt.core.base.errors import UsageFault
from yurt.core.base.nearest import did_you_mean
from yurt.core.formats.common.encodings import ENCODING, UNMAPPABLE, Encoding
from yurt.core.formats.common.format import Format, TextFormat, Unwritable, finished
from yurt.core.formats.common.raw import NOTHING, Block, Fault, Number, Reading, Value, absent, of_cells, written
from yurt.core.formats.common.settings import FLAG, Chosen, Setting, complete
from yurt.core.formats.common.tree import leaf_names
from yurt.core.formats.common.values import VALUES
from yurt.core.model import Record
from yurt.core.text.forms import text_of

ENDS = {"crlf": "\r\n", "lf": "\n"}
PIECE, LONGEST, WIDEST, MOST_FAULTS = 1 << 22, 1 << 20, 10_000, 1000
PLACE = re.compile(r"(?P<name>\S+)\s+(?P<width>\d{1,5})(\s+(?P<side>left|right))?(\s+(?P<filler>\S))?")


@dataclass(frozen=True)
class Place:
    """The place of a field: its width in characters, its side, and what fills the rest."""

    name: str
    width: int
    right: bool = False
    filler: str = " "


def places_of(layout: str) -> list[Place]:
    """Return the places of a layout. Raises ValueError with what is wrong."""
    found = []
    for part in layout.split(","):
        place = PLACE.fullmatch(part.strip())
        if place is None or not 1 <= int(place["width"]) <= WIDEST:
            raise ValueError(f"`{part.strip()}` is not a name and a width, such as `beds 5 right 0`")
        found.append(Place(place["name"], int(place["width"]), place["side"] == "right", place["filler"] or " "))
    names = [each.name for each in found]
    if doubled := [each for each in names if names.count(each) > 1]:
        raise ValueError(f"`{doubled[0]}` occurs twice")
    return found


def _layout(value: str) -> str:
    try:
        places_of(value) if value else None
    except ValueError as fault:
        return str(fault)
    return ""


EXAMPLE = "code 8, beds 5 right 0, opens 12"
SETTINGS = (
    Setting("layout", "the fields with their widths, sides (left or right), and fillers", "", EXAMPLE, wrong=_layout),
    Setting("header", "whether the first line has the names of the fields", "false", "true", FLAG),
    Setting("line-terminator", "how the lines end", "crlf", "lf", tuple(ENDS)),
    ENCODING, UNMAPPABLE, *VALUES[1:],
)  # fmt: skip


class Lines:
    """Writes and reads lines of a layout."""

    def __init__(self, places: list[Place], header: bool, end: str) -> None:
        self.places, self.header, self.end = places, header, end

    def check(self, record: str, names: list[str]) -> None:
        """Raise UsageFault if there is no layout, or a field of it does not exist."""
        if not self.places:
            raise UsageFault(f"`fixed` needs the setting `layout`, such as --with 'layout={EXAMPLE}'")
        for each in self.places:
            if each.name not in names:
                hint = did_you_mean(each.name, names) or ", ".join(names)
                raise UsageFault(f"`layout`: `{record}` has no field `{each.name}`; {hint}")
        placed = {each.name for each in self.places}
        if without := [each for each in names if each not in placed]:
            raise UsageFault(f"`layout` has no place for `{without[0]}` of `{record}`, but for other fields beside it")

    def opening(self, record: str, names: list[str]) -> str:
        """Return the header line, if there is one."""
        self.check(record, names)
        if not self.header:
            return ""
        return "".join(each.name[: each.width].ljust(each.width) for each in self.places) + self.end

    def records(self, record: str, batch: pa.RecordBatch, first_row: int) -> pa.Array:
        """Return one line per record."""
        self.check(record, batch.schema.names)
        found = dict(zip(batch.schema.names, batch.columns, strict=True))
        cells = [self._cell(f"{record}.{each.name}", found[each.name], each, first_row) for each in self.places]
        return joined(*cells) if len(cells) > 1 else cells[0]

    def _cell(self, where: str, column: pa.Array, place: Place, first_row: int) -> pa.Array:
        texts = pc.cast(column, pa.string()) if finished(column) else text_of(column)
        known = pc.fill_null(texts, word(""))
        wide = pc.greater(pc.utf8_length(known), place.width)
        bad = pc.or_(wide, pc.match_substring_regex(known, "[\r\n]"))
        if pc.any(bad).as_py():
            row = pc.index(bad, True).as_py()
            text, size = known[row].as_py(), place.width
            told = f"`{text}` is wider than {size} characters" if len(text) > size else "a line cannot hold a line end"
            reason = f"{where.partition('.')[2]} has {size} characters" if len(text) > size else told
            raise Unwritable(f"{where}, row {first_row + row + 1:,}: {told}", reason)
        pad = pc.utf8_lpad if place.right else pc.utf8_rpad
        # A missing value is spaces, whatever fills the place.
        blank = pc.is_null(texts)
        return pc.if_else(blank, word(" " * place.width), pad(known, place.width, place.filler))

    def room(self, title: str) -> int | None:
        """Return the number of characters of a place; None if there is none."""
        return next((each.width for each in self.places if each.name == title), None)

    def titles(self, stream: IO[bytes], record: str) -> list[str] | Fault:
        """Return the names in the layout. Raises UsageFault if there is none."""
        self.check(record, [each.name for each in self.places])
        return [each.name for each in self.places]

    def read(self, stream: IO[bytes], record: Record, labels: tuple[str, ...]) -> Reading:
        """Return the lines of a record type."""
        self.check(record.name, [record.column(name) for name in leaf_names(record)])
        reading = Reading(lambda: self._blocks(stream, record, reading))
        return reading

    def _blocks(self, stream: IO[bytes], record: Record, reading: Reading) -> Iterator[Block]:
        stream.seek(0)
        if not stream.read(1):
            reading.faults.append(Fault(1, "the file is empty"))
            return
        stream.seek(0)
        line = 1
        if self.header:
            stream.readline(LONGEST)
            line = 2
        names = {record.column(name): name for name in leaf_names(record)}
        width = sum(each.width for each in self.places)
        while data := stream.read(PIECE):
            data += stream.readline(LONGEST)
            try:
                texts = data.decode("utf-8").replace("\r\n", "\n").removesuffix("\n").split("\n")
            except UnicodeDecodeError as fault:
                reading.faults.append(Fault(line + data[: fault.start].count(b"\n"), "bytes that are not UTF-8"))
                return
            lines = strings(texts)
            numbers = np.arange(line, line + len(texts))
            line += len(texts)
            good = flags(pc.equal(pc.utf8_length(lines), width))
            for at in np.flatnonzero(~good)[: max(MOST_FAULTS - len(reading.faults), 0)]:
                told = f"{len(texts[at])} characters where the layout has {width}"
                reading.faults.append(Fault(int(numbers[at]), told))
            lines = pc.filter(lines, arrow(good))
            columns = {name: absent(len(lines)) for name in names.values()}
            at = 0
            for each in self.places:
                columns[names[each.name]] = of_cells(_taken(pc.utf8_slice_codeunits(lines, at, at + each.width), each))
                at += each.width
            yield Block(len(lines), columns, numbers[good])


def _taken(cells: pa.Array, place: Place) -> pa.Array:
    """Return the values without what fills their places; spaces are a missing value."""
    trim = pc.utf8_ltrim if place.right else pc.utf8_rtrim
    texts = trim(cells, place.filler)
    if place.filler == "0":
        texts = pc.if_else(pc.or_(pc.equal(texts, word("")), pc.match_substring_regex(texts, r"^\.")),
                           joined("0", texts), texts)  # fmt: skip
    return pc.if_else(pc.equal(pc.utf8_trim(cells, " "), word("")), nothing(pa.string()), texts)


def _token(value: Value) -> str | None:
    if value is None or value is NOTHING:
        return None
    if isinstance(value, bool):
        return "true" if value else "false"
    return str(value) if isinstance(value, str | Number) else written(value)


def _cannot(value: Value) -> str:
    if value is NOTHING:
        return "a place is never absent: a missing value is spaces"
    return "" if isinstance(value, str | None) else "fixed width has texts only"


def _configured(chosen: Chosen) -> Format:
    end = ENDS[chosen["line-terminator"]]
    lines = Lines(places_of(chosen["layout"]) if chosen["layout"] else [], chosen["header"] == "true", end)
    return TextFormat(
        name="fixed", suffixes=(".txt", ".dat"), meaning="lines in which every field has a fixed width",
        settings=SETTINGS, configured=_configured, encoding=Encoding(chosen["encoding"], chosen["unmappable"]),
        opening=lines.opening, records=lines.records, separator=end, closing=end, finish=text_of, token=_token,
        cannot=_cannot, room=lines.room, read=lines.read, titles=lines.titles, by_layout=True,
        needed={"layout": EXAMPLE},
    )  # fmt: skip


FORMAT = _configured(complete("fixed", SETTINGS, {}))
