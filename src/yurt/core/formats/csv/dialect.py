"""The dialect of a table of text lines, in the words of the W3C's metadata vocabulary for tabular data."""

from __future__ import annotations

import re

from yurt.core.base.data_classes import dataclass
from yurt.core.formats.common.encodings import ENCODING, UNMAPPABLE
from yurt.core.formats.common.settings import FLAG, Chosen, Setting
from yurt.core.formats.common.values import VALUES

# Delimiters that are hard to type, by name.
DELIMITERS = {"comma": ",", "semicolon": ";", "tab": "\t", "bar": "|"}
ENDS = {"crlf": "\r\n", "lf": "\n"}
# Characters that values in their standard form contain.
OF_VALUES = re.compile(r"[\w.+:\[\]{}\\\"' -]")
# What a spreadsheet takes for a formula.
FORMULA = "^[=+@\t\r-]"


def _delimiter(value: str) -> str:
    single = len(value) == 1 and value.isascii() and value.isprintable()
    if value in DELIMITERS or (single and not OF_VALUES.match(value)):
        return ""
    return f"one of {' '.join(DELIMITERS)}, or a character that no number, date, or quote contains, such as ^"


def _quote(value: str) -> str:
    return "" if value in ('"', "'") else "a double or a single quote"


def _null(value: str) -> str:
    bad = len(value) > 40 or any(each in value for each in "\r\n\"',;\t|")
    return "a word without delimiters and quotes, such as NULL" if bad else ""


STYLES: dict[str, dict[str, str]] = {
    "plain": {},
    "decimal-comma": {"delimiter": "semicolon", "decimal-char": ","},
    "spreadsheet": {
        "delimiter": "semicolon", "decimal-char": ",", "encoding": "utf-8-mark", "formulas": "defuse",
        "date-format": "%d.%m.%Y", "datetime-format": "%d.%m.%Y %H:%M:%S",
    },
}  # fmt: skip


def settings(delimiter: str) -> tuple[Setting, ...]:
    """Return the settings of a format whose usual delimiter is this one."""
    return (
        Setting("style", "several settings at once: decimal-comma has semicolons and decimal commas, spreadsheet also a"
                " byte order mark, dates such as 24.12.2026, and formulas defused", "plain", "decimal-comma",
                tuple(STYLES), sets=STYLES),
        Setting("delimiter", "what separates the cells", delimiter, "semicolon", wrong=_delimiter),
        Setting("quote-char", "what stands around a quoted cell", '"', "'", wrong=_quote),
        Setting("quoting", "which cells are quoted: those that need it, all, or all texts", "minimal", "all",
                ("minimal", "all", "texts")),
        Setting("double-quote", "whether a quote in a cell is doubled; else a backslash is in front of it", "true",
                "false", FLAG),
        Setting("header", "whether the first line has the names of the fields", "true", "false", FLAG),
        Setting("line-terminator", "how lines end", "crlf", "lf", tuple(ENDS)),
        Setting("null", "the text of a missing value, without quotes", "", "NULL", wrong=_null),
        Setting("formulas", "whether a text that a spreadsheet takes for a formula gets an apostrophe in front",
                "keep", "defuse", ("keep", "defuse")),
        ENCODING, UNMAPPABLE, *VALUES,
    )  # fmt: skip


@dataclass(frozen=True)
class Dialect:
    """How cells and lines are written."""

    delimiter: str = ","
    quote: str = '"'
    quoting: str = "minimal"
    doubled: bool = True
    header: bool = True
    end: str = "\r\n"
    null: str = ""
    defused: bool = False

    @property
    def special(self) -> str:
        """The characters that need quotes."""
        return self.delimiter + self.quote + "\r\n" + ("" if self.doubled else "\\")

    @property
    def needs_quotes(self) -> str:
        """The pattern of a text that needs quotes."""
        inside = "".join(f"\\x{ord(each):02x}" for each in self.special)
        return f"^{re.escape(self.null)}$|^$|[{inside}]" if self.null else f"^$|[{inside}]"


def dialect_of(chosen: Chosen) -> Dialect:
    """Return the dialect that some settings describe."""
    return Dialect(
        DELIMITERS.get(chosen["delimiter"], chosen["delimiter"]), chosen["quote-char"], chosen["quoting"],
        chosen["double-quote"] == "true", chosen["header"] == "true", ENDS[chosen["line-terminator"]], chosen["null"],
        chosen["formulas"] == "defuse",
    )  # fmt: skip
