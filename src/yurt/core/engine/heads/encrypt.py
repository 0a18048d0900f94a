"""Makes texts of the same form by format-preserving encryption."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from yurt.core import model
from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow, bytes_of, fixed_strings, numbers
from yurt.core.columns.column import Column
from yurt.core.engine.by_value import changed, secret_of
from yurt.core.engine.scope import BatchScope, TableScope
from yurt.core.heads.encrypt import Encrypt
from yurt.core.keyed.blocks import Bytes
from yurt.core.keyed.format_preserving import FormatPreserving
from yurt.core.kinds.numbers.digits import Digits, mod_97
from yurt.core.kinds.numbers.trailing import CHECKED, Rule

ALPHABET = np.frombuffer(b"0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZ", dtype=np.uint8)
# The value of each character of a number; 99 for a mark between groups.
VALUES = np.full(256, 99, dtype=np.uint8)
VALUES[ALPHABET] = np.arange(36)
VALUES[np.frombuffer(b"abcdefghijklmnopqrstuvwxyz", dtype=np.uint8)] = np.arange(10, 36)
MARK, TEN = 99, ord("X")
# The form of a text: `x` for the characters of a number, `-` for marks; the bytes of other letters stay.
FORM = np.where(VALUES != MARK, ord("x"), np.arange(256)).astype(np.uint8)


def encrypt(field: model.Field, phrase: model.Phrase, table: TableScope) -> Callable[[BatchScope], Column]:
    """The encrypted form of each value, with the check digits of its kind."""
    head = phrase.head
    assert isinstance(head, Encrypt)
    cipher = FormatPreserving(secret_of(table).key("encrypt", head.domain))
    table.run.small_domains[field.name] = cipher
    if not head.kind:
        return changed(head, table, cipher)
    rule = CHECKED[head.kind]
    return changed(head, table, lambda texts: _checked(texts, cipher, rule))


def _checked(texts: pa.Array, cipher: FormatPreserving, rule: Rule | None) -> pa.Array:
    """Return encrypted numbers whose check digits are as right as they were before.

    A number whose check digit was wrong by 3 has one that is wrong by 3 afterwards, so different numbers stay so.
    Texts that are no numbers of the kind are encrypted as any other.
    """
    parts: list[pa.Array] = []
    places: list[NDArray[np.int64]] = []
    for own in of_one_form(texts):
        chosen = texts if len(own) == len(texts) else pc.take(texts, arrow(own))
        cells = bytes_of(chosen).reshape(len(own), -1)
        there = np.flatnonzero(VALUES[cells[0]] != MARK)
        found = _of_form(cells, there, cipher, rule) if len(there) else None
        places.append(own)
        parts.append(cipher(chosen) if found is None else found)
    if len(parts) == 1:
        return parts[0]
    back = np.empty(len(texts), dtype=np.int64)
    back[np.concatenate(places) if places else []] = np.arange(len(texts))
    return pc.take(pa.concat_arrays(parts), arrow(back)) if parts else texts


def of_one_form(texts: pa.Array) -> Iterator[NDArray[np.int64]]:
    """Yield the positions of texts that are as long as each other and have their marks at the same places."""
    offsets = np.frombuffer(texts.buffers()[1], dtype=np.int32)[texts.offset : texts.offset + len(texts) + 1]
    ends = np.ascontiguousarray(offsets - offsets[0] if len(offsets) else offsets)
    marks = np.ascontiguousarray(FORM[bytes_of(texts)])
    forms = pc.dictionary_encode(pa.StringArray.from_buffers(len(texts), pa.py_buffer(ends), pa.py_buffer(marks)))
    codes = numbers(forms.indices, np.int32)
    for number in range(len(forms.dictionary)):
        yield np.flatnonzero(codes == number).astype(np.int64)


def _of_form(
    cells: Bytes, there: NDArray[np.intp], cipher: FormatPreserving, rule: Rule | None
) -> pa.Array | None:  # fmt: skip
    """Return encrypted numbers whose characters are at the same positions; None if they are none of the kind."""
    if rule is None:
        return _iban(cells, there, cipher) if len(there) >= 15 else None
    size, count, check = rule.size, rule.count, rule.check
    if len(there) <= count or (size and len(there) != size + count):
        return None
    body, tail, free = there[:-count], there[-count:], there[rule.kept : -count]
    values = VALUES[cells].astype(np.int64)
    if (values[:, body] == MARK).any():
        return None
    modulus = 11 if TEN in cells[:, tail] or check in _WITH_X else 10**count
    offset = (_tail(values[:, tail]) - check(values[:, body])) % modulus
    fresh = cells.copy()
    fresh[:, free] = bytes_of(cipher(fixed_strings(np.ascontiguousarray(cells[:, free])))).reshape(len(cells), -1)
    right = (check(VALUES[fresh[:, body]].astype(np.int64)) + offset) % modulus
    if count == 1:
        fresh[:, tail[0]] = np.where(right == 10, TEN, ord("0") + right)
    else:
        fresh[:, tail[0]], fresh[:, tail[1]] = ord("0") + right // 10, ord("0") + right % 10
    return fixed_strings(fresh)


_WITH_X = tuple(rule.check for rule in (CHECKED["isbn-10"], CHECKED["issn"]) if rule is not None)


def _tail(values: Digits) -> Digits:
    """Return check characters as one number; the letter X alone is 10."""
    if values.shape[1] == 1:
        return np.where(values[:, 0] == VALUES[TEN], 10, values[:, 0])
    return values[:, 0] * 10 + values[:, 1]


def _iban(cells: Bytes, there: NDArray[np.intp], cipher: FormatPreserving) -> pa.Array:
    """Return account numbers (ISO 13616) with their country and right check digits."""
    country, digits, body = there[:2], there[2:4], there[4:]

    def right(values: Bytes) -> Digits:
        own = values.astype(np.int64)
        zeros = np.zeros((len(own), 2), dtype=np.int64)
        return 98 - mod_97(np.concatenate([own[:, body], own[:, country], zeros], axis=1))

    before = VALUES[cells]
    offset = (before[:, digits[0]].astype(np.int64) * 10 + before[:, digits[1]] - right(before)) % 97
    fresh = cells.copy()
    # The country is part of what is encrypted under: accounts of two countries do not become one.
    whole = np.concatenate([cells[:, country], np.full((len(cells), 1), ord(" "), np.uint8), cells[:, body]], axis=1)
    for name in np.unique(cells[:, country], axis=0):
        own = (cells[:, country] == name).all(axis=1)
        part = np.ascontiguousarray(whole[own][:, 3:])
        fresh[np.ix_(own, body)] = bytes_of(cipher(fixed_strings(part))).reshape(len(part), -1)
    found = right(VALUES[fresh])
    # 2 to 98 are right; an original that was wrong stays wrong by as much.
    found = (found - 2 + offset) % 97 + 2
    fresh[:, digits[0]], fresh[:, digits[1]] = ord("0") + found // 10, ord("0") + found % 10
    return fixed_strings(fresh)


MAKES = {Encrypt: encrypt}
