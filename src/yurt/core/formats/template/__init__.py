"""A layout of one's own: a Jinja template with blocks for the start of the file, its records, and its end."""

from __future__ import annotations

from collections.abc import Callable
from decimal import Decimal
from importlib import resources
from pathlib import Path
from typing import TYPE_CHECKING

import pyarrow as pa

from yurt.core.base import compute as pc
from yurt.core.base.data_classes import dataclass
from yurt.core.base.errors import SurroundingsFault, UsageFault
from yurt.core.base.nearest import did_you_mean
from yurt.core.formats.common.encodings import ENCODING, UNMAPPABLE, Encoding
from yurt.core.formats.common.format import Format, Out, Unwritable, Writer
from yurt.core.formats.common.settings import Chosen, Setting, complete
from yurt.core.formats.common.values import CHILDREN, FIELDS
from yurt.core.model import Record

if TYPE_CHECKING:
    from yurt.core.formats.template.sandbox import Sandboxed

# The total of each field that is a number.
Totals = dict[str, Decimal | float | int]
SHIPPED = ("bank", "calendar", "labels")
LONGEST = 1 << 20
ENDS = {"crlf": "\r\n", "lf": "\n"}
SETTINGS = (
    FIELDS, CHILDREN,
    Setting("template", f"the file of the template, or one that comes with the program: {', '.join(SHIPPED)}", "",
            "labels"),
    Setting("line-terminator", "how lines end", "lf", "crlf", tuple(ENDS)),
    ENCODING, UNMAPPABLE,
)  # fmt: skip


@dataclass(frozen=True, kw_only=True)
class Template(Format):
    """The files that a template makes."""

    template: str
    end: str

    @property
    def template_file(self) -> str:
        return "" if self.template in SHIPPED else self.template

    def writer(self, out: Out, record: Record, names: list[str]) -> Writer:
        return TemplateWriter(self, out, record)


class TemplateWriter:
    """Renders the blocks of a template: `head` once, `records` for each batch of rows, `foot` at the end.

    The end of a file knows the number of rows and the total of each number.
    """

    def __init__(self, form: Template, out: Out, record: Record) -> None:
        self.form, self.out, self.record = form, out, record
        self.size, self.begun, self.count = 0, False, 0
        self.totals: Totals = {}
        self.template = opened(form.template, form.end)

    def rendered(self, batch: pa.RecordBatch, first_row: int) -> tuple[str, int, Totals]:
        """Return the text of a batch, its rows, and the totals of its numbers."""
        text = self.template.block("records", records=batch.to_pylist(), first=first_row + 1, name=self.record.name)
        return text, batch.num_rows, _totals(batch)

    def put(self, block: tuple[str, int, Totals]) -> None:
        """Write a batch, behind the start of the file."""
        self._begin()
        text, rows, totals = block
        self.count += rows
        for name, each in totals.items():
            self.totals[name] = self.totals.get(name, 0) + each  # type: ignore[operator]
        self._text(text)

    def finish(self, empty: Callable[[], pa.RecordBatch]) -> None:
        """Write the end of the file."""
        self._begin()
        self.totals = self.totals or _totals(empty())
        self._text(self.template.block("foot", count=self.count, totals=self.totals, name=self.record.name))

    def _begin(self) -> None:
        if not self.begun:
            self.begun = True
            self.out.write(self.form.encoding.mark)
            self.size += len(self.form.encoding.mark)
            self._text(self.template.block("head", name=self.record.name))

    def _text(self, text: str) -> None:
        try:
            data = self.form.encoding.encoded(text)
        except UnicodeEncodeError as fault:
            char = text[fault.start]
            told = f"{self.record.name}: {self.form.encoding.name} has no `{char}` (U+{ord(char):04X})"
            raise Unwritable(f"{told}; another `encoding`, or a character for `unmappable`") from None
        if len(data):
            self.out.write(data)
            self.size += len(data)


def _totals(batch: pa.RecordBatch) -> Totals:
    """Return the total of each number."""
    numeric = (pa.types.is_integer, pa.types.is_floating, pa.types.is_decimal)
    pairs = zip(batch.schema.names, batch.columns, strict=True)
    return {name: pc.sum(each).as_py() or 0 for name, each in pairs if any(test(each.type) for test in numeric)}


def opened(name: str, end: str) -> Sandboxed:
    """Return a template, ready to render. Raises UsageFault if there is none, or if it has a mistake."""
    from yurt.core.formats.template.sandbox import Sandboxed

    if not name:
        raise UsageFault("`template` needs a template: --with template=FILE, or one of " + ", ".join(SHIPPED))
    if name in SHIPPED:
        folder = resources.files("yurt").joinpath("examples", "templates")
        return Sandboxed(name, folder.joinpath(f"{name}.txt").read_text("utf-8"), end)
    path = Path(name)
    if not path.is_file():
        hint = did_you_mean(name, SHIPPED) or "with the program come " + ", ".join(SHIPPED)
        raise UsageFault(f"there is no template {name}; {hint}")
    try:
        if path.stat().st_size > LONGEST:
            raise UsageFault(f"{name}: a template has at most {LONGEST:,} bytes")
        text = path.read_text("utf-8")
    except UnicodeDecodeError:
        raise UsageFault(f"{name}: a template is a text in UTF-8") from None
    except OSError as fault:
        raise SurroundingsFault(f"{name}: {(fault.strerror or str(fault)).lower()}") from None
    return Sandboxed(name, text, end)


def _configured(chosen: Chosen) -> Format:
    return Template(
        name="template", suffixes=(), meaning="a layout of one's own, by a Jinja template", read=None,
        settings=SETTINGS, configured=_configured, typed=True, nests=True, inside=chosen["children"] == "inside",
        encoding=Encoding(chosen["encoding"], chosen["unmappable"]), template=chosen["template"],
        end=ENDS[chosen["line-terminator"]],
    )  # fmt: skip


FORMAT = _configured(complete("template", SETTINGS, {}))
