"""The proof as a page for people, and as JSON for programs. No value of the files is in either."""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Sequence
from html import escape

from yurt.core.base.data_classes import asdict
from yurt.core.existing.proof import Finding, Proof

STYLE = """
:root { color-scheme: light dark; }
body { font: 15px/1.45 system-ui, sans-serif; margin: 2rem auto; max-width: 70rem; padding: 0 1.5rem; }
h1 { font-size: 1.5rem; margin: 0 0 .5rem; }
h2 { font-size: 1.1rem; margin: 1.75rem 0 .35rem; }
p { margin: 0 0 .75rem; }
.quiet { color: GrayText; }
.verdict { font-weight: 600; padding: .5rem .8rem; border-radius: .4rem; display: inline-block; }
.good { background: color-mix(in srgb, #2a8a4a 18%, transparent); }
.bad { background: color-mix(in srgb, #c03a2b 22%, transparent); }
table { border-collapse: collapse; width: 100%; font-variant-numeric: tabular-nums; }
th, td { text-align: left; vertical-align: top; padding: .3rem .8rem .3rem 0;
  border-bottom: 1px solid color-mix(in srgb, currentColor 18%, transparent); }
th { font-weight: 600; color: GrayText; }
.n { text-align: right; }
@media print { body { margin: 0; font-size: 10px; max-width: none; } tr { break-inside: avoid; } }
"""


def page(proofs: list[Proof]) -> str:
    """Return the page of some proofs."""
    passed = all(each.passed for each in proofs)
    text = '<!doctype html>\n<html lang="en">\n<meta charset="utf-8">\n<title>Proof of disguise</title>\n'
    text += f"<style>{STYLE}</style>\n<h1>Proof of disguise</h1>\n"
    verdict = "No original is left." if passed else "Originals are left."
    if not any((each.treated or each.scrubbed) and each.rows for each in proofs):
        verdict, passed = "Nothing is treated, so there is nothing to prove.", False
    text += f'<p class="verdict {"good" if passed else "bad"}">{verdict}</p>\n'
    text += (
        '<p class="quiet">Every original of a treated column has been looked for in every cell of all new files, alone'
        " and inside texts. Values of fewer than four letters and digits are looked for in their own column only.</p>\n"
    )
    return text + "".join(_chapter(each) for each in proofs)


def _chapter(proof: Proof) -> str:
    text = f"<h2>{escape(proof.name)}</h2>\n<p class=quiet>{proof.rows:,} rows</p>\n"
    leaks = {each.column for each in proof.leaks}
    rows = [
        (each.title, each.word, *(f"{count:,}" for count in proof.originals[each.title]),
         f"{sum(one.rows for one in proof.findings if one.column == each.title and not one.explanation):,}",
         f"{sum(one.rows for one in proof.findings if one.column == each.title and one.explanation):,}",
         "leak" if each.title in leaks else "gone" if proof.originals[each.title][1] else "no values")
        for each in proof.treated
    ]  # fmt: skip
    header = ("column", "treatment", "different originals", "rows", "left", "explained", "")
    text += _table(header, rows, numbers=(2, 3, 4, 5))
    for title, chosen in (("Originals that are left", proof.leaks), ("Explained", _explained(proof))):
        if chosen:
            found = [(one.column, one.where, f"{one.rows:,}", f"{one.first:,}", one.explanation) for one in chosen]
            text += f"<h2>{title}</h2>\n" + _table(
                ("column", "found in", "rows", "first row", "why"), found, numbers=(2, 3)
            )
    if proof.not_unique:
        text += f"<p>Not unique any more: {escape(', '.join(proof.not_unique))}</p>\n"
    if proof.repeated:
        text += f"<p>No value was there twice, and some are now: {escape(', '.join(proof.repeated))}</p>\n"
    if proof.inconsistent:
        text += f"<p>Equal values have become different: {escape(', '.join(proof.inconsistent))}</p>\n"
    if proof.short:
        told = ", ".join(f"{title} ({count:,})" for title, count in proof.short.items())
        text += f"<p>Too short to be looked for in other columns, by column: {escape(told)}</p>\n"
    if proof.unchanged:
        parts = [f"{title}: {same:,} of {there:,} values unchanged" for title, (there, same) in proof.unchanged.items()]
        text += f"<h2>Scrubbed</h2>\n<p>{escape('; '.join(parts))}</p>\n"
    if proof.calculated:
        text += f"<h2>Calculated, not treated</h2>\n<p>{escape(', '.join(proof.calculated))}</p>\n"
    if proof.partly:
        told = escape(", ".join(proof.partly))
        text += f"<p>Of other rows, only several words and long numbers were looked for in {told}.</p>\n"
    if proof.untouched:
        text += f"<h2>Without a line, as before</h2>\n<p>{escape(', '.join(proof.untouched))}</p>\n"
    if proof.grouped:
        text += f"<h2>Singling out by {escape(', '.join(proof.grouped))}</h2>\n"
        text += f"<p>The smallest group has {proof.smallest:,} rows; {proof.alone:,} rows are alone.</p>\n"
    return text


def _explained(proof: Proof) -> list[Finding]:
    return [each for each in proof.findings if each.explanation]


def _table(header: tuple[str, ...], rows: Sequence[tuple[str, ...]], numbers: tuple[int, ...]) -> str:
    def line(cells: tuple[str, ...], word: str) -> str:
        marks = (' class="n"' if at in numbers else "" for at in range(len(cells)))
        return (
            "<tr>"
            + "".join(f"<{word}{mark}>{_code(each)}</{word}>" for each, mark in zip(cells, marks, strict=True))
            + "</tr>\n"
        )

    return (
        f"<table>\n<thead>{line(header, 'th')}</thead>\n<tbody>\n"
        + "".join(line(each, "td") for each in rows)
        + "</tbody>\n</table>\n"
    )


def _code(text: str) -> str:
    """Return a text with the names in it as code."""
    return re.sub(r"`([^`]*)`", r"<code>\1</code>", escape(text))


def as_json(proofs: list[Proof]) -> str:
    """Return some proofs as JSON."""
    found = [{**asdict(each), "passed": each.passed} for each in proofs]
    return (
        json.dumps({"passed": all(each.passed for each in proofs), "files": found}, ensure_ascii=False, indent=2) + "\n"
    )


# How a proof is written, by the suffix of its file.
FORMS: dict[str, Callable[[list[Proof]], str]] = {".html": page, ".htm": page, ".json": as_json}
