"""The log: one line for each request, as JSON or as words."""

from __future__ import annotations

import json
import sys
from collections.abc import Callable
from datetime import UTC, datetime
from typing import Any

Write = Callable[[dict[str, Any]], None]
FORMS = ("json", "text", "none")


def as_json(entry: dict[str, Any]) -> str:
    """Return an entry as a JSON object on one line."""
    return json.dumps(entry, ensure_ascii=True)


def as_text(entry: dict[str, Any]) -> str:
    """Return an entry as words, with everything visible."""
    path = entry["path"].encode("unicode_escape").decode()
    more = "".join(f"  {entry[each]}" for each in ("behaviour", "error") if entry.get(each))
    return f"{entry['time'][11:19]}  {entry['status']}  {entry['method']:<6} {path}  {entry['ms']:.1f} ms{more}"


def logger(form: str) -> Write | None:
    """Return what writes the entries of a form to standard error; None for no log."""
    if form == "none":
        return None
    shown = as_json if form == "json" else as_text

    def write(entry: dict[str, Any]) -> None:
        sys.stderr.write(shown(entry) + "\n")
        sys.stderr.flush()

    return write


def now() -> str:
    """Return the time in UTC, as in RFC 3339."""
    return datetime.now(UTC).isoformat(timespec="milliseconds")
