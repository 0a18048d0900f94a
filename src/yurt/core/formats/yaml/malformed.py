"""YAML files that are malformed on purpose."""

from __future__ import annotations

import re

from yurt.core.formats.common.breaks import ANY, DEEP, Break


def _double_key(data: bytes, record: str) -> bytes | None:
    found = re.search(rb"(?m)^  ([\w-]+|\"[^\"\n]+\"): ", data)
    return data[: found.start()] + b"  " + found[1] + b": null\n" + data[found.start() :] if found else None


def _tab(data: bytes, record: str) -> bytes | None:
    return data.replace(b"\n  ", b"\n\t", 1) if b"\n  " in data else None


def _alias(data: bytes, record: str) -> bytes:
    return b"- *nobody\n" + data


def _indentation(data: bytes, record: str) -> bytes | None:
    return data.replace(b"\n  ", b"\n ", 1) if b"\n  " in data else None


def _deep(data: bytes, record: str) -> bytes:
    return b"[" * DEEP + b"]" * DEEP + b"\n"


def _scalar(data: bytes, record: str) -> bytes:
    return b"42\n"


def _cut(data: bytes, record: str) -> bytes | None:
    """Cut inside the last text: between two members, the rest would be sound."""
    return data[: data.rfind(b'"')] if b'"' in data else None


BREAKS = (
    *(each for each in ANY if each.fault != "cut-off"),
    Break("cut-off", "reject", "the file ends inside a text", _cut),
    Break("doubled-key", "reject", "a key is repeated in one mapping (YAML 1.2.2, 3.2.1.3)", _double_key),
    Break("tab", "reject", "a tab is not an indentation (YAML 1.2.2, 6.1)", _tab),
    Break("indentation", "reject", "the members of one mapping begin in different columns", _indentation),
    Break("alias", "reject", "an alias of an anchor that does not exist (YAML 1.2.2, 7.1)", _alias),
    Break("deep", "reject", f"{DEEP:,} nested sequences", _deep),
    Break("scalar", "reject", "a number where records belong", _scalar),
)
