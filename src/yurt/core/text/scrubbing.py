"""Replaces parts of texts, row by row, without a loop over rows: each row has words of its own to look for.

Texts are compared word by word, without regard to case and to what stands between words: `+43 664 12` is found in
`+43-664/12`. A word is a run of letters and digits; all characters beyond ASCII count as letters.
"""

from __future__ import annotations

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow, bytes_of, flags, numbers, strings, word
from yurt.core.base.data_classes import dataclass

# Shorter numbers, and shorter words out of longer texts, occur everywhere; they are not looked for.
SHORTEST = 3
# The maximum number of words of a text that is looked for as a whole.
MOST_WORDS = 12
# The least number of digits of a number that is found in any way of writing it, how many of its last digits are
# compared (a prefix of the country may be missing), and how many bytes may stand between two of them.
MANY_DIGITS, LAST_DIGITS, BETWEEN = 7, 8, 5
BASE = np.uint64(0x9E3779B97F4A7C15)
WORD = np.zeros(256, dtype=np.bool_)
WORD[[*range(48, 58), *range(65, 91), *range(97, 123), *range(128, 256)]] = True
Codes = NDArray[np.int64]
Flags = NDArray[np.bool_]


@dataclass(frozen=True)
class Wanted:
    """A text to look for in each row, and what stands there instead; both may be missing."""

    before: pa.Array
    after: pa.Array


@dataclass(frozen=True)
class _Words:
    """The words of some texts: their bytes from `start` to `end`, their rows, and the first word of each row."""

    texts: pa.Array
    start: Codes
    end: Codes
    row: Codes
    first: Codes

    @property
    def count(self) -> Codes:
        """The number of words of each text."""
        return np.diff(self.first)


def scrubbed(texts: pa.Array, wanted: list[Wanted]) -> pa.Array:
    """Return texts in which what each row looks for is replaced; a missing text is an empty one."""
    texts = pc.fill_null(texts, word("")) if texts.null_count else texts
    if not len(texts) or not wanted:
        return texts
    words = _words(texts)
    if not len(words.start):
        return texts
    sought = [_words(pc.fill_null(each.before, word(""))) for each in wanted]
    codes = _codes([words.texts, *(each.texts for each in sought)])
    claims = _Claims(words, codes[0])
    for each in wanted:
        claims.number(each, texts)
    for each, own, code in zip(wanted, sought, codes[1:], strict=True):
        claims.whole(each, own, code)
    for each, own, code in zip(wanted, sought, codes[1:], strict=True):
        claims.single(each, own, code)
    return claims.result(texts)


def _words(texts: pa.Array) -> _Words:
    data = bytes_of(texts)
    offsets = np.frombuffer(texts.buffers()[1], dtype=np.int32)[texts.offset : texts.offset + len(texts) + 1]
    borders = (offsets - offsets[0]).astype(np.int64)
    inside = WORD[data]
    begins = inside.copy()
    begins[1:] &= ~inside[:-1]
    ends = inside.copy()
    ends[:-1] &= ~inside[1:]
    # A text begins and ends its words.
    starts_of_rows = borders[:-1][np.diff(borders) > 0]
    begins[starts_of_rows] |= inside[starts_of_rows]
    last = starts_of_rows[1:] - 1
    ends[last] |= inside[last]
    start, end = np.flatnonzero(begins), np.flatnonzero(ends) + 1
    row = np.searchsorted(borders, start, side="right") - 1
    lengths = np.zeros(len(start) + 1, dtype=np.int32)
    np.cumsum(end - start, out=lengths[1:])
    kept = np.ascontiguousarray(data[inside])
    found = pa.StringArray.from_buffers(len(start), pa.py_buffer(lengths), pa.py_buffer(kept))
    first = np.searchsorted(row, np.arange(len(texts) + 1))
    return _Words(pc.utf8_lower(found), start, end, row, first)


def _codes(parts: list[pa.Array]) -> list[Codes]:
    """Return a number for each different word, the same in all parts."""
    coded = pc.dictionary_encode(pa.concat_arrays(parts))
    every = numbers(coded.indices, np.int32).astype(np.int64)
    ends = np.cumsum([len(each) for each in parts])
    return np.split(every, ends[:-1])


class _Claims:
    """The words that are replaced, each by at most one text."""

    def __init__(self, words: _Words, codes: Codes) -> None:
        self.words, self.codes = words, codes
        self.taken = np.zeros(len(codes), dtype=np.bool_)
        # The replacements: the first word, the word after the last, and the text.
        self.parts: list[tuple[Codes, Codes, pa.Array]] = []

    def number(self, wanted: Wanted, texts: pa.Array) -> None:
        """Replace numbers with many digits, however they are written: by their last digits."""
        runs = _runs(texts)
        if not len(runs.row):
            return
        sought = _digits(pc.fill_null(wanted.before, word("")))
        size = np.diff(sought.first)
        length = np.where(size >= MANY_DIGITS, np.minimum(size, LAST_DIGITS), 0)[runs.row]
        same = (length > 0) & (runs.stop - runs.start >= length)
        stop = sought.first[runs.row + 1]
        same &= _hashes(runs.hashes, runs.stop - length, length) == _hashes(sought.hashes, stop - length, length)
        places = np.flatnonzero(same)
        if len(places):
            first = np.searchsorted(self.words.start, runs.begin[places], side="right") - 1
            last = np.searchsorted(self.words.start, runs.end[places], side="right")
            row = runs.row[places]
            self._claim(first, last, pc.take(_bare(wanted.after), arrow(row)))

    def whole(self, wanted: Wanted, own: _Words, code: Codes) -> None:
        """Replace all words of a text that stand one after the other."""
        rows, count = self.words.row, own.count[self.words.row]
        long_enough = _long_enough(pc.fill_null(wanted.before, word("")))
        alive = (count > 0) & (count <= MOST_WORDS) & flags(long_enough)[rows]
        places = np.flatnonzero(alive)
        for step in range(MOST_WORDS):
            more = count[places] > step
            at = np.minimum(places + step, len(rows) - 1)
            own_at = np.minimum(own.first[rows[places]] + step, max(len(code) - 1, 0))
            same = (places + step < len(rows)) & (rows[at] == rows[places]) & ~self.taken[at]
            same &= self.codes[at] == (code[own_at] if len(code) else -1)
            places = places[~more | same]
            if not len(places) or not (count[places] > step + 1).any():
                break
        self._claim(places, places + count[places], pc.take(_bare(wanted.after), arrow(rows[places])))

    def single(self, wanted: Wanted, own: _Words, code: Codes) -> None:
        """Replace single words of a text by the corresponding words of the other one."""
        rows = self.words.row
        lengths = numbers(pc.utf8_length(own.texts), np.int32) if len(code) else np.empty(0, dtype=np.int32)
        letters = flags(pc.match_substring_regex(own.texts, r"\p{L}"))
        sought = (lengths >= SHORTEST) & letters
        results = _words(pc.fill_null(wanted.after, word("")))
        original = _as_written(pc.fill_null(wanted.after, word("")), results)
        for step in range(min(int(own.count.max(initial=0)), MOST_WORDS)):
            there = own.count[rows] > step
            at = np.minimum(own.first[rows] + step, max(len(code) - 1, 0))
            places = np.flatnonzero(there & ~self.taken & sought[at] & (self.codes == code[at]))
            if not len(places):
                continue
            row = rows[places]
            to = results.first[row] + np.minimum(step, np.maximum(results.count[row] - 1, 0))
            empty = results.count[row] == 0
            found = (
                pc.take(original, arrow(np.minimum(to, max(len(original) - 1, 0))))
                if len(original)
                else strings([""] * len(row))
            )
            self._claim(places, places + 1, pc.if_else(arrow(empty), word(""), found))

    def _claim(self, first: Codes, stop: Codes, texts: pa.Array) -> None:
        """Take spans of words; of overlapping ones, the first."""
        if not len(first):
            return
        free = np.ones(len(first), dtype=np.bool_)
        free[1:] = first[1:] >= np.maximum.accumulate(stop)[:-1]
        first, stop, texts = first[free], stop[free], pc.filter(texts, arrow(free))
        marks = np.zeros(len(self.taken) + 1, dtype=np.int64)
        np.add.at(marks, first, 1)
        np.add.at(marks, stop, -1)
        self.taken |= np.cumsum(marks[:-1]) > 0
        self.parts.append((first, stop, pc.fill_null(texts, word(""))))

    def result(self, texts: pa.Array) -> pa.Array:
        """Return the texts with their replacements."""
        if not self.parts:
            return texts
        first = np.concatenate([each for each, _, _ in self.parts])
        stop = np.concatenate([each for _, each, _ in self.parts])
        instead = pa.concat_arrays([pc.cast(each, pa.string()) for _, _, each in self.parts])
        order = np.argsort(first, kind="stable")
        start, end = self.words.start[first[order]], self.words.end[stop[order] - 1]
        row = self.words.row[first[order]]
        data = bytes_of(texts)
        offsets = np.frombuffer(texts.buffers()[1], dtype=np.int32)[texts.offset : texts.offset + len(texts) + 1]
        borders = (offsets - offsets[0]).astype(np.int64)
        # Each replacement has the bytes before it in its row; each row has those after its last one.
        before = np.where(np.diff(row, prepend=-1) != 0, borders[row], np.concatenate([[0], end[:-1]]))
        last_of_row = np.full(len(texts), -1, dtype=np.int64)
        last_of_row[row] = np.arange(len(row))
        tail = np.where(last_of_row >= 0, end[np.maximum(last_of_row, 0)], borders[:-1])
        literal_from = np.concatenate([before, tail])
        literal_to = np.concatenate([start, borders[1:]])
        literals = _slices(data, literal_from, literal_to)
        count = len(row)
        # Literal, replacement, literal, replacement, …, tail: by row.
        keys = np.concatenate([row * 2, row * 2, np.arange(len(texts)) * 2 + 1])
        minor = np.concatenate([np.arange(count) * 2, np.arange(count) * 2 + 1, np.zeros(len(texts), dtype=np.int64)])
        every = pa.concat_arrays([literals[:count], pc.take(instead, arrow(order)), literals[count:]])
        sequence = np.lexsort((minor, keys))
        per_row = np.bincount(keys // 2, minlength=len(texts))
        ends = np.zeros(len(texts) + 1, dtype=np.int32)
        np.cumsum(per_row, out=ends[1:])
        return pc.binary_join(pa.ListArray.from_arrays(arrow(ends), pc.take(every, arrow(sequence))), word(""))


def _long_enough(texts: pa.Array) -> pa.Array:
    """Return which texts are looked for: numbers from three digits on, others from two characters on."""
    letters = pc.match_substring_regex(texts, r"\p{L}")
    return pc.greater_equal(pc.utf8_length(texts), pc.if_else(letters, SHORTEST - 1, SHORTEST))


def _bare(texts: pa.Array) -> pa.Array:
    """Return texts without marks at their ends: those around what they replace stay."""
    return pc.replace_substring_regex(texts, r"^[^\p{L}\p{N}]+|[^\p{L}\p{N}]+$", "")


@dataclass(frozen=True)
class _Digits:
    """The digits of some texts: hashes of all of them from the first on, and the first digit of each row."""

    hashes: NDArray[np.uint64]
    first: Codes


@dataclass(frozen=True)
class _Runs:
    """Runs of digits with nothing but marks between them: their rows, digits, bytes, and the hashes of all digits."""

    row: Codes
    start: Codes
    stop: Codes
    begin: Codes
    end: Codes
    hashes: NDArray[np.uint64]


def _digits(texts: pa.Array) -> _Digits:
    data, borders = bytes_of(texts), _borders(texts)
    at = np.flatnonzero((data >= 48) & (data <= 57))
    return _Digits(_prefixes(data[at]), np.searchsorted(at, borders))


def _runs(texts: pa.Array) -> _Runs:
    data, borders = bytes_of(texts), _borders(texts)
    at = np.flatnonzero((data >= 48) & (data <= 57))
    row = np.searchsorted(borders, at, side="right") - 1
    letters = np.concatenate([[0], np.cumsum(WORD[data] & ~((data >= 48) & (data <= 57)))])
    apart = np.ones(len(at), dtype=np.bool_)
    apart[1:] = (row[1:] != row[:-1]) | (at[1:] - at[:-1] > BETWEEN) | (letters[at[1:]] != letters[at[:-1]])
    start = np.flatnonzero(apart)
    stop = np.append(start[1:], len(at)) if len(start) else start
    return _Runs(row[start], start, stop, at[start], at[stop - 1], _prefixes(data[at]))


def _borders(texts: pa.Array) -> Codes:
    offsets = np.frombuffer(texts.buffers()[1], dtype=np.int32)[texts.offset : texts.offset + len(texts) + 1]
    found: Codes = (offsets - offsets[0]).astype(np.int64)
    return found


def _prefixes(digits: NDArray[np.uint8]) -> NDArray[np.uint64]:
    """Return sums of digits times powers of an odd number, from the first digit to each: hashes of parts follow."""
    powers = np.full(len(digits), BASE, dtype=np.uint64).cumprod() if len(digits) else np.empty(0, dtype=np.uint64)
    sums = np.cumsum((digits.astype(np.uint64) - np.uint64(47)) * powers)
    return np.concatenate([np.zeros(1, dtype=np.uint64), sums])


def _hashes(prefixes: NDArray[np.uint64], start: Codes, length: Codes) -> NDArray[np.uint64]:
    """Return hashes of parts of some digits, which do not depend on where a part begins."""
    begin = np.maximum(start, 0)
    sums = prefixes[np.minimum(begin + length, len(prefixes) - 1)] - prefixes[begin]
    # The powers of a part begin with that of its place; dividing by it is multiplying by its inverse.
    found: NDArray[np.uint64] = sums * _inverse_powers(len(prefixes))[begin]
    return found


def _inverse_powers(size: int) -> NDArray[np.uint64]:
    inverse = np.uint64(pow(int(BASE), -1, 1 << 64))
    return np.concatenate([np.ones(1, dtype=np.uint64), np.full(max(size - 1, 0), inverse, dtype=np.uint64).cumprod()])


def _as_written(texts: pa.Array, words: _Words) -> pa.Array:
    """Return the words of some texts in their own case."""
    return _slices(bytes_of(texts), words.start, words.end)


def _slices(data: NDArray[np.uint8], start: Codes, stop: Codes) -> pa.Array:
    """Return parts of some bytes as texts."""
    lengths = stop - start
    ends = np.zeros(len(start) + 1, dtype=np.int32)
    np.cumsum(lengths, out=ends[1:])
    places = np.repeat(start - ends[:-1], lengths) + np.arange(int(ends[-1]))
    return pa.StringArray.from_buffers(len(start), pa.py_buffer(ends), pa.py_buffer(np.ascontiguousarray(data[places])))
