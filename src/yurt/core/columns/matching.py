"""Matches texts against a pattern, a whole column at a time and in linear time."""

from __future__ import annotations

import numpy as np
import pyarrow as pa

from yurt.core.base import compute as pc
from yurt.core.base.arrays import flags, numbers_or
from yurt.core.columns.column import Mask
from yurt.core.patterns.match import matches
from yurt.core.patterns.parse import parse
from yurt.core.patterns.regex import regex_of
from yurt.core.patterns.tree import Pattern


def follows(pattern: Pattern, texts: pa.Array) -> Mask:
    """Return where a text follows a pattern from end to end; a missing one does not."""
    regex = regex_of(pattern)
    if regex is not None:
        try:
            return flags(pc.match_substring_regex(texts, regex))
        except pa.ArrowInvalid:
            # Too large for RE2 after all: each different text is matched once.
            regex = None
    different = pc.dictionary_encode(texts)
    good = np.array(
        [matches(pattern, each or "") for each in different.dictionary.to_pylist()] + [False], dtype=np.bool_
    )
    return good[numbers_or(different.indices, np.int32, -1)]


def follows_source(source: str, texts: pa.Array) -> Mask:
    """Return where a text follows a regular expression as written."""
    try:
        return flags(pc.match_substring_regex(texts, rf"\A(?:{source})\z"))
    except pa.ArrowInvalid:
        return follows(parse(source), texts)
