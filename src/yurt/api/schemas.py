"""Schemas as the Python interface gives them."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from yurt.core.language.reader import read_file
from yurt.core.model import Schema


def read(path: str | Path, variants: Sequence[str] = ()) -> Schema:
    """Return the schema of a file; raise `yurt.core.base.errors.YurtError` with every mistake in it.

    `variants` are names of those that the file describes.
    """
    return read_file(Path(path), None, variants)[0]
