"""A page with a table that sorts and filters without a network, and prints well."""

from __future__ import annotations

from html import escape

import pyarrow as pa

from yurt.core.base import compute as pc
from yurt.core.base.arrays import bytes_of, changed_texts, is_text, joined, word
from yurt.core.formats.common.format import Format, TextFormat, finished
from yurt.core.formats.common.raw import NOTHING, Value, written
from yurt.core.formats.common.settings import Chosen, Setting, complete
from yurt.core.formats.common.values import VALUES
from yurt.core.text.forms import text_of

ENTITIES = {"&": "&amp;", "<": "&lt;", ">": "&gt;"}
SETTINGS = (*VALUES, Setting("title", "the title of the page; without it, the record type", "", "Huts of the summer"))
STYLE = """
:root { color-scheme: light dark; }
body { font: 15px/1.45 system-ui, sans-serif; margin: 2rem; }
h1 { font-size: 1.35rem; margin: 0 0 .75rem; }
input { font: inherit; padding: .35rem .6rem; width: 18rem; max-width: 100%; margin: 0 .75rem .75rem 0; }
output { color: GrayText; }
table { border-collapse: collapse; font-variant-numeric: tabular-nums; }
th, td { padding: .3rem .7rem; border-bottom: 1px solid color-mix(in srgb, currentColor 18%, transparent); }
th { position: sticky; top: 0; background: Canvas; text-align: left; white-space: nowrap; }
th button { all: unset; cursor: pointer; font-weight: 600; }
th button:focus-visible { outline: 2px solid; outline-offset: 2px; }
th[aria-sort=ascending] button::after { content: " \\2191"; }
th[aria-sort=descending] button::after { content: " \\2193"; }
td { white-space: pre-wrap; overflow-wrap: anywhere; max-width: 34rem; vertical-align: top; }
td.n { text-align: right; white-space: nowrap; }
@media print { input, output { display: none; } th { position: static; } body { margin: 0; font-size: 10px; } }
"""
SCRIPT = """
const table = document.querySelector("table"), body = table.tBodies[0], told = document.querySelector("output");
const rows = [...body.rows], size = rows.length;
const number = (text) => (text.trim() === "" ? NaN : Number(text.replace(",", ".")));
const order = new Intl.Collator(document.documentElement.lang || undefined, { numeric: true });
function count() {
  const left = rows.filter((row) => !row.hidden).length;
  told.textContent = left === size ? `${size} rows` : `${left} of ${size} rows`;
}
document.querySelector("input").addEventListener("input", (event) => {
  const words = event.target.value.toLowerCase().split(/\\s+/).filter(Boolean);
  for (const row of rows) {
    const text = row.textContent.toLowerCase();
    row.hidden = !words.every((word) => text.includes(word));
  }
  count();
});
table.tHead.addEventListener("click", (event) => {
  const head = event.target.closest("th");
  if (!head) return;
  const down = head.getAttribute("aria-sort") === "ascending", at = head.cellIndex;
  for (const each of head.parentNode.cells) each.removeAttribute("aria-sort");
  head.setAttribute("aria-sort", down ? "descending" : "ascending");
  const value = (row) => row.cells[at].textContent;
  rows.sort((one, two) => {
    const first = value(one), second = value(two), a = number(first), b = number(second);
    if ((first === "") !== (second === "")) return first === "" ? 1 : -1;
    const found = !isNaN(a) && !isNaN(b) ? a - b : order.compare(first, second);
    return down ? -found : found;
  });
  body.append(...rows);
});
count();
"""


def _escaped(texts: pa.Array) -> pa.Array:
    data = bytes_of(texts)
    for char, entity in ENTITIES.items():
        if (data == ord(char)).any():
            texts = pc.replace_substring(texts, pattern=char, replacement=entity)
    # HTML has no U+0000.
    return pc.replace_substring(texts, pattern="\x00", replacement="\ufffd")


def _cell(column: pa.Array) -> pa.Array:
    """Return the contents of the cells."""
    if finished(column):
        return pc.cast(column, pa.string())
    if not is_text(column) and not pa.types.is_list(column.type):
        return text_of(column)
    plain = text_of(column) if pa.types.is_list(column.type) else column
    return text_of(changed_texts(plain, _escaped))


def _records(_record: str, batch: pa.RecordBatch, _first_row: int) -> pa.Array:
    parts: list[pa.Array | str] = ["<tr>"]
    for column in batch.columns:
        kind = column.type
        number = pa.types.is_integer(kind) or pa.types.is_decimal(kind) or pa.types.is_floating(kind)
        parts += ['<td class="n">' if number else "<td>", pc.fill_null(_cell(column), word("")), "</td>"]
    return joined(*parts, "</tr>")


def _token(value: Value) -> str | None:
    if value is None or value is NOTHING:
        return None
    return escape(str(value) if isinstance(value, str) else written(value), quote=False)


def _cannot(value: Value) -> str:
    if isinstance(value, str) and "\x00" in value:
        return "HTML has no character U+0000"
    if value == "":
        return "a page shows an empty text like a missing value"
    return "" if isinstance(value, str | None) else "HTML has texts only"


def _configured(chosen: Chosen) -> Format:
    def opening(record: str, names: list[str]) -> str:
        title = escape(chosen["title"] or record)
        heads = "".join(f'<th scope="col"><button type="button">{escape(name)}</button></th>' for name in names)
        return (
            f'<!DOCTYPE html>\n<html lang="en">\n<head>\n<meta charset="utf-8">\n<title>{title}</title>\n'
            '<meta name="viewport" content="width=device-width, initial-scale=1">\n'
            f"<style>{STYLE}</style>\n</head>\n<body>\n<h1>{title}</h1>\n"
            '<label><input type="search" placeholder="Filter" aria-label="Filter"></label><output></output>\n'
            f"<table>\n<thead><tr>{heads}</tr></thead>\n<tbody>\n"
        )

    return TextFormat(
        name="html", suffixes=(".html", ".htm"), meaning="a page with a table that sorts, filters, and prints",
        read=None, settings=SETTINGS, configured=_configured, opening=opening, records=_records, separator="\n",
        closing=f"\n</tbody>\n</table>\n<script>{SCRIPT}</script>\n</body>\n</html>\n", finish=_cell, token=_token,
        cannot=_cannot,
    )  # fmt: skip


FORMAT = _configured(complete("html", SETTINGS, {}))
