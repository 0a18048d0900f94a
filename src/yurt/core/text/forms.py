"""Values of any type as text."""

from __future__ import annotations

import pyarrow as pa

from yurt.core.text.json_text import list_text
from yurt.core.text.lexical import scalar_text


def text_of(array: pa.Array) -> pa.Array:
    """Return an array as Arrow strings, lists as JSON; missing values stay missing."""
    return list_text(array) if pa.types.is_list(array.type) else scalar_text(array)
