"""The kinds by group with their meaning, and stored examples: everything that a list of kinds shows."""

from __future__ import annotations

import json
from functools import cache
from pathlib import Path

HERE = Path(__file__).parent
SHOWN = HERE.joinpath("shown")


@cache
def meanings() -> dict[str, dict[str, str]]:
    """Return the meaning of each kind, by group and name, in the order of the catalogue."""
    found: dict[str, dict[str, str]] = json.loads(HERE.joinpath("index.json").read_text("utf-8"))
    return found


@cache
def shown(locale: str) -> dict[str, list[str]]:
    """Return examples of every kind in a locale; none for an unknown locale."""
    found: dict[str, list[str]] = {}
    for name in (locale, "common"):
        path = SHOWN.joinpath(f"{name}.json")
        if not path.is_file():
            return {}
        found |= json.loads(path.read_text("utf-8"))
    return found
