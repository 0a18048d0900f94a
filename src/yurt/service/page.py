"""The page for people: the collections, and a form that tries a request."""

from __future__ import annotations

import json
from collections.abc import Mapping
from functools import cache
from html import escape
from importlib.resources import files
from urllib.parse import quote

from yurt.core.collections.library import Library


@cache
def _template() -> str:
    return files("yurt.service").joinpath("page.html").read_text("utf-8")


def page(library: Library, totals: Mapping[str, int]) -> str:
    """Return the page, with the number of records of each collection."""
    rows = []
    for name, collection in library.collections.items():
        path = f"/{quote(name)}"
        key = collection.record.key.title if collection.record.key is not None else "number"
        children = ", ".join(library.children_of(name)) or "–"
        rows.append(
            f'<tr><td><button type="button" class="try" data-path="{escape(path)}">{escape(name)}</button></td>'
            f"<td class=number>{totals[name]:,}</td><td>{escape(key)}</td><td>{escape(children)}</td></tr>"
        )
    first = f"/{quote(next(iter(library.collections)))}?size=3"
    return (
        _template()
        .replace("{{title}}", escape(library.schema.title or library.schema.source.name))
        .replace("{{rows}}", "\n".join(rows))
        .replace("{{first}}", escape(first))
        .replace("{{seed}}", json.dumps(library.run.seed))
        .replace("{{today}}", str(library.run.today))
    )
