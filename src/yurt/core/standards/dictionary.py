"""A data dictionary in Markdown, for people."""

from __future__ import annotations

import re

from yurt.core.standards.common.dictionary import HEADER, chapters
from yurt.core.standards.common.document import Asked, Document, Written


def _cell(text: str) -> str:
    return re.sub(r"([\\`*_\[\]<>|])", r"\\\1", text).replace("\n", " ")


def _line(cells: tuple[str, ...]) -> str:
    return f"| {' | '.join(cells)} |\n"


def _write(asked: Asked) -> Written:
    text = f"# {_cell(asked.schema.title or asked.schema.source.name)}\n"
    for chapter in chapters(asked):
        text += f"\n## {_cell(chapter.name)}\n\n{_cell(chapter.count)}\n\n"
        text += _line(HEADER) + _line(("---",) * len(HEADER))
        text += "".join(_line(tuple(map(_cell, row))) for row in chapter.rows)
        if chapter.conditions:
            text += "\nIn every record:\n\n" + "".join(f"- {_cell(each)}\n" for each in chapter.conditions)
    return Written(text, ())


DOCUMENT = Document("dictionary", ".md", "a data dictionary in Markdown, for people", _write)
