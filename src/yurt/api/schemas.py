"""Schemas in the Python interface."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from yurt.core.language.reader import read_file
from yurt.core.model import Schema


def read(path: str | Path, variants: Sequence[str] = ()) -> Schema:
    """Return the schema of a file; raise `yurt.SchemaFault` with every mistake in it, or another `yurt.YurtError`.

    `variants` are names of variants in the file.
    """
    return read_file(Path(path), None, variants)[0]
