"""Writes records that may be wrong in any way: as CSV, JSON, JSON Lines and XML, in the forms of `yurt.core.formats`.

A record is a tree as `yurt.core.reading` has it: texts, numbers digit by digit, truth values, lists, records, None for
a missing value and NOTHING for a name that is not there.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import TYPE_CHECKING, Any

from yurt.core.engine.blocks import titles
from yurt.core.formats.csv import NEEDS_QUOTES
from yurt.core.formats.raw import NOTHING, Number, written
from yurt.core.formats.xml import NAME
from yurt.core.model import Record

if TYPE_CHECKING:
    from yurt.core.cases.suite import Suite

Tree = dict[str, Any]
# What XML 1.0 can hold of the characters below the blank, and none of the two non-characters.
UNHOLDABLE = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\ufffe\uffff]")


def inexpressible(value: Any, form: str) -> str:
    """Return why a format cannot say a value; empty when it can."""
    if form == "csv" and value is NOTHING:
        return "CSV has no absent cell: it is a missing value"
    if form == "xml" and value is NOTHING:
        return "XML has no null: a missing value is an absent element"
    if form == "xml" and isinstance(value, str) and (found := UNHOLDABLE.search(value)):
        return f"XML cannot hold the character U+{ord(found[0]):04X}"
    if form in ("csv", "xml") and not isinstance(value, str | None):
        return f"{form.upper()} has texts only"
    return ""


def parts_of(suite: Suite, form: str, labels: str, apart: bool) -> Iterator[tuple[str, bytes]]:
    """Yield the files of some cases: what is added to the name, and the bytes."""
    told = suite.labels()
    every = range(len(suite.cases))
    groups = {"": list(every)}
    if apart:
        groups = {
            "-valid": [at for at in every if suite.cases[at].valid],
            "-invalid": [at for at in every if not suite.cases[at].valid],
        }
    for name, places in groups.items():
        trees, front = [suite.trees[at] for at in places], [told[at] for at in places]
        yield name, text_of(form, suite.record, trees, front if labels == "front" else None).encode()
        if labels == "beside":
            rows = [{"row": Number(at), **each} for at, each in enumerate(front, start=1)]
            yield f"{name}-labels", listed(form, "label", rows).encode()


def listed(form: str, name: str, rows: list[dict[str, Any]]) -> str:
    """Return plain rows as a file of a format."""
    if form == "csv":
        names = list(rows[0]) if rows else []
        lines = [names, *([cell(each[title] or None) for title in names] for each in rows)]
        return "".join(",".join(each) + "\r\n" for each in lines)
    if form == "xml":
        return _xml(name, rows)
    lines_of = [written(each) for each in rows]
    return "".join(each + "\n" for each in lines_of) if form == "jsonl" else "[\n" + ",\n".join(lines_of) + "\n]\n"


def text_of(form: str, record: Record, trees: list[Tree], labels: list[dict[str, str]] | None) -> str:
    """Return a whole file of records, with label columns in front where there are labels."""
    if form == "csv":
        return _csv(record, trees, labels)
    whole = [{**labels[at], **tree} if labels is not None else tree for at, tree in enumerate(trees)]
    if form == "xml":
        return _xml(record.name, whole)
    lines = [written(_present(each)) for each in whole]
    if form == "jsonl":
        return "".join(each + "\n" for each in lines)
    return "[\n" + ",\n".join(lines) + ("\n" if lines else "") + "]\n"


def _present(value: Any) -> Any:
    """Leave out the names that are not there."""
    if isinstance(value, dict):
        return {name: _present(each) for name, each in value.items() if each is not NOTHING}
    return [_present(each) for each in value] if isinstance(value, list) else value


# ---- CSV -------------------------------------------------------------------------------------------------------------


def _csv(record: Record, trees: list[Tree], labels: list[dict[str, str]] | None) -> str:
    names = titles(record, nests=False)
    first = list(labels[0]) if labels else []
    lines = [[*map(cell, first), *map(cell, names)]]
    for at, tree in enumerate(trees):
        front = [cell(each or None) for each in labels[at].values()] if labels else []
        lines.append(front + [cell(at_path(tree, name.split("."))) for name in names])
    return "".join(",".join(each) + "\r\n" for each in lines)


def at_path(tree: Any, path: list[str]) -> Any:
    """Return what stands at a path; a title may have points of its own."""
    if not path:
        return tree
    if not isinstance(tree, dict):
        return None
    for length in range(len(path), 0, -1):
        if (name := ".".join(path[:length])) in tree:
            return at_path(tree[name], path[length:])
    return NOTHING


def cell(value: Any) -> str:
    """Return a value as a cell of CSV."""
    if value is None or value is NOTHING:
        return ""
    if isinstance(value, bool):
        return "true" if value else "false"
    text = str(value) if isinstance(value, str) else written(value)
    plain = isinstance(value, Number) or not re.search(NEEDS_QUOTES, text)
    return text if plain and text else '"' + text.replace('"', '""') + '"'


# ---- XML -------------------------------------------------------------------------------------------------------------


def _xml(name: str, trees: list[Tree]) -> str:
    lines = [f"  <{name}>{_elements(tree)}</{name}>\n" for tree in trees]
    return '<?xml version="1.0" encoding="UTF-8"?>\n<records>\n' + "".join(lines) + "</records>\n"


def _elements(tree: Tree) -> str:
    return "".join(
        f"<{_name(name)}>{content(value)}</{name}>"
        for name, value in tree.items()
        if value is not None and value is not NOTHING
    )


def _name(name: str) -> str:
    from yurt.core.formats.format import Unwritable

    if not NAME.fullmatch(name):
        raise Unwritable(f"XML has no element of the name `{name}`; CSV and JSON have")
    return name


def content(value: Any) -> str:
    """Return a value as it stands inside an element of XML."""
    if isinstance(value, dict):
        return _elements(value)
    if isinstance(value, list):
        return "".join("<value/>" if each is None else f"<value>{content(each)}</value>" for each in value)
    if isinstance(value, bool):
        return "true" if value else "false"
    text = str(value).replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;")
    return text.replace("\r", "&#13;")
