"""Texts in the form of a country, such as `{street} {house-number}`."""

from __future__ import annotations

import re

from yurt.core.base.arrays import joined
from yurt.core.base.types import TEXT
from yurt.core.columns.column import Column
from yurt.core.kinds.picks import Codes


def formed(form: str, parts: dict[str, Column], places: Codes) -> Column:
    """Return the parts of some rows in a form that names them in braces."""
    pieces = [piece for piece in re.split(r"\{|\}", form) if piece]
    texts = [parts[piece].take(places).text(len(places)) if piece in parts else piece for piece in pieces]
    return Column(TEXT, joined(*texts))
