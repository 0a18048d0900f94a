"""Schemas in the Python interface: from a file, from text, or from a dict."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

from yurt.core.base.errors import UsageFault
from yurt.core.language import reader
from yurt.core.model import Schema
from yurt.core.source.diagnostics import Source


def read(path: str | Path, variants: Sequence[str] = (), lines: Mapping[str, str] | None = None) -> Schema:
    """Return the schema of a file.

    `variants` are names of variants in the file, and `lines` replace lines of it: `{"stay.party": "integer 10..12"}`.
    Raises `yurt.SchemaFault` with every mistake in it (the message is
    that of `yurt check`, and `findings` are the mistakes as data), or another `yurt.YurtError`.
    """
    if not isinstance(path, str | Path):
        hint = "; `yurt.read_dict` takes a dict" if isinstance(path, Mapping) else ""
        raise UsageFault(f"`yurt.read` takes the path of a file, not {type(path).__name__}{hint}")
    if isinstance(path, str) and "\n" in path:
        raise UsageFault("`yurt.read` takes the path of a file; `yurt.read_text` takes the text of a schema")
    return reader.read_file(Path(path), _lines(lines), _names(variants))[0]


def read_text(
    text: str, variants: Sequence[str] = (), folder: str | Path = ".", lines: Mapping[str, str] | None = None
) -> Schema:  # fmt: skip
    """Return the schema in a text; files that it names are searched for in `folder`. The rest is as in `read`.

    >>> sorted(read_text("{yurt: 1, records: {hut: {count: 9, fields: {beds: 'integer 8..140'}}}}").records)
    ['hut']
    """
    if not isinstance(text, str):
        raise UsageFault(f"`yurt.read_text` takes a text, not {type(text).__name__}")
    if "\n" not in text and text.endswith((".yaml", ".yml", ".json")):
        raise UsageFault(f"`yurt.read_text` takes the text of a schema; write yurt.read({text!r})")
    return reader.read(Source("schema", text), _lines(lines), _names(variants), Path(folder))[0]


def read_dict(
    schema: Mapping[str, Any], variants: Sequence[str] = (), folder: str | Path = ".",
    lines: Mapping[str, str] | None = None,
) -> Schema:  # fmt: skip
    """Return the schema in a dict with the words of a schema file. The rest is as in `read_text`.

    >>> sorted(read_dict({"yurt": 1, "records": {"hut": {"count": 9, "fields": {"beds": "integer 8..140"}}}}).records)
    ['hut']
    """
    if not isinstance(schema, Mapping):
        raise UsageFault(f"`yurt.read_dict` takes a dict, not {type(schema).__name__}")
    import yaml

    try:
        text = yaml.safe_dump(_plain(schema), sort_keys=False, allow_unicode=True, width=float("inf"))
    except yaml.YAMLError as fault:
        raise UsageFault(f"a schema contains texts, numbers, lists, and dicts: {fault}") from None
    return reader.read(Source("schema", text), _lines(lines), _names(variants), Path(folder))[0]


def _plain(part: Any) -> Any:
    """Return nested mappings as dicts; what has no form in YAML is refused when it is written."""
    if isinstance(part, Mapping):
        return {each: _plain(value) for each, value in part.items()}
    return [_plain(each) for each in part] if isinstance(part, list | tuple) else part


def _lines(lines: Any) -> dict[str, str]:
    if lines is not None and not isinstance(lines, Mapping):
        raise UsageFault("`lines` are given by field, as {'stay.party': 'integer 10..12'}")
    for name, line in (lines or {}).items():
        if "." not in str(name) or not isinstance(line, str):
            raise UsageFault(f"`lines` has {name!r}: {line!r}; write {{'stay.party': 'integer 10..12'}}")
    return dict(lines or {})


def _names(variants: Any) -> tuple[str, ...]:
    if isinstance(variants, str):
        raise UsageFault(f"`variants` is a list of names; write [{variants!r}]")
    return tuple(variants)
