"""A data dictionary as a page for a browser or a printer."""

from __future__ import annotations

from html import escape

from yurt.core.standards.common.dictionary import HEADER, chapters
from yurt.core.standards.common.document import Asked, Document, Written

STYLE = """
:root { color-scheme: light dark; }
body { font: 15px/1.45 system-ui, sans-serif; margin: 2rem auto; max-width: 78rem; padding: 0 1.5rem; }
h1 { font-size: 1.5rem; margin: 0 0 .5rem; }
h2 { font-size: 1.15rem; margin: 2rem 0 .25rem; }
nav a { margin-right: 1rem; }
p { color: GrayText; margin: 0 0 .75rem; }
table { border-collapse: collapse; width: 100%; table-layout: fixed; }
col { width: 14%; }
col:nth-child(2), col:nth-child(5) { width: 9%; }
col:nth-child(3) { width: 25%; }
col:nth-child(6) { width: 10%; }
col:nth-child(7) { width: 19%; }
th, td { text-align: left; vertical-align: top; padding: .3rem .6rem .3rem 0; overflow-wrap: anywhere;
  border-bottom: 1px solid color-mix(in srgb, currentColor 18%, transparent); }
th { font-weight: 600; color: GrayText; }
td:first-child { font-weight: 600; white-space: nowrap; }
td:last-child, code { font-family: ui-monospace, monospace; font-size: .9em; }
@media print {
  body { margin: 0; font-size: 10px; max-width: none; }
  h2 { break-after: avoid; }
  tr { break-inside: avoid; }
}
"""


def _row(cells: tuple[str, ...], cell: str) -> str:
    return "<tr>" + "".join(f"<{cell}>{escape(each)}</{cell}>" for each in cells) + "</tr>\n"


def _write(asked: Asked) -> Written:
    title = escape(asked.schema.title or asked.schema.source.name)
    found = chapters(asked)
    links = "".join(f'<a href="#{escape(each.name)}">{escape(each.name)}</a>' for each in found)
    text = f'<!doctype html>\n<html lang="en">\n<meta charset="utf-8">\n<title>{title}</title>\n'
    text += f"<style>{STYLE}</style>\n"
    text += f"<h1>{title}</h1>\n" + (f"<nav>{links}</nav>\n" if len(found) > 1 else "")
    for chapter in found:
        name = escape(chapter.name)
        text += f'<h2 id="{name}">{name}</h2>\n<p>{escape(chapter.count)}</p>\n<table>\n'
        text += f"<colgroup>{'<col>' * len(HEADER)}</colgroup>\n<thead>{_row(HEADER, 'th')}</thead>\n"
        text += "<tbody>\n" + "".join(_row(row, "td") for row in chapter.rows) + "</tbody>\n</table>\n"
        if chapter.conditions:
            items = "".join(f"<li><code>{escape(each)}</code></li>\n" for each in chapter.conditions)
            text += f"<p>In every record:</p>\n<ul>\n{items}</ul>\n"
    return Written(text, ())


DOCUMENT = Document("dictionary-page", ".html", "a data dictionary as a page", _write)
