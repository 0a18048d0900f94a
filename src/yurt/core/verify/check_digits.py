"""The rules of check digits, written apart from those that make them; each judges a whole column.

Every rule takes the name of the kind and texts that have the kind's shape already.
"""

from __future__ import annotations

import csv
import re
from collections.abc import Callable, Iterator
from functools import cache
from importlib import resources

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from yurt.core.base.arrays import arrow, bytes_of, numbers, strings
from yurt.core.columns.column import Mask

Values = NDArray[np.int64]
Rule = Callable[[str, pa.Array], Mask]


def _by_length(texts: pa.Array, left_out: str) -> Iterator[tuple[NDArray[np.intp], Values]]:
    """Yield the places of texts of one length, and the values of their characters: digits, and 10 to 35 for letters.

    Characters that the expression `left_out` matches do not count.
    """
    plain = pc.utf8_upper(pc.replace_substring_regex(texts, pattern=left_out, replacement=""))
    lengths = numbers(pc.binary_length(plain), np.int32)
    for length in np.unique(lengths):
        places = np.flatnonzero(lengths == length)
        cells = bytes_of(plain.take(arrow(places))).reshape(len(places), length).astype(np.int64)
        yield places, np.where(cells <= ord("9"), cells - ord("0"), cells - ord("A") + 10)


def _digits(texts: pa.Array, good: Callable[[Values], Mask]) -> Mask:
    found = np.zeros(len(texts), dtype=np.bool_)
    for places, values in _by_length(texts, "[^0-9]"):
        found[places] = good(values)
    return found


def luhn(_: str, texts: pa.Array) -> Mask:
    """ISO/IEC 7812-1, annex B: from the right, every second digit counts double, a double of two digits their sum."""

    def good(values: Values) -> Mask:
        turned = values[:, ::-1]
        doubled = turned[:, 1::2] * 2
        found: Mask = (turned[:, ::2].sum(axis=1) + (doubled - 9 * (doubled > 9)).sum(axis=1)) % 10 == 0
        return found

    return _digits(texts, good)


def gs1(_: str, texts: pa.Array) -> Mask:
    """GS1 General Specifications, 7.9: weights 3 and 1 from the right, the last digit weighs 1."""
    return _digits(
        texts, lambda values: (values[:, ::-1][:, ::2].sum(1) + 3 * values[:, ::-1][:, 1::2].sum(1)) % 10 == 0
    )


def mod97(name: str, texts: pa.Array) -> Mask:
    """ISO 7064, MOD 97-10; ISO 11649 and ISO 13616 move the first four characters to the end."""
    found = np.zeros(len(texts), dtype=np.bool_)
    for places, values in _by_length(texts, "[^0-9A-Za-z]"):
        moved = np.concatenate((values[:, 4:], values[:, :4]), axis=1)
        begins = (values[:, 0] == 27) & (values[:, 1] == 15) if values.shape[1] > 1 else np.zeros(len(values), bool)
        chosen = moved if name in ("creditor-reference", "iban") else np.where(begins[:, None], moved, values)
        rest = np.zeros(len(values), dtype=np.int64)
        for column in chosen.T:
            rest = (rest * np.where(column < 10, 10, 100) + column) % 97
        found[places] = rest == 1
    return found


@cache
def iban_lengths() -> dict[str, int]:
    """Return the length of an IBAN in each country of the registry."""
    with resources.files("yurt.core.kinds").joinpath("ibans.csv").open(encoding="utf-8") as lines:
        return {row["country"]: 4 + sum(map(int, re.findall(r"\d+", row["account"]))) for row in csv.DictReader(lines)}


def iban(name: str, texts: pa.Array) -> Mask:
    """ISO 13616: the length of the country and MOD 97-10; the country's own digits are not judged."""
    countries = pc.dictionary_encode(pc.utf8_slice_codeunits(texts, 0, 2))
    known = np.array([iban_lengths().get(each, -1) for each in countries.dictionary.to_pylist()] or [-1])
    wanted = known[numbers(countries.indices, np.int32)] if len(texts) else known[:0]
    fitting: Mask = (wanted < 0) | (wanted == numbers(pc.utf8_length(texts), np.int32))
    return fitting & mod97(name, texts)


def isin(_: str, texts: pa.Array) -> Mask:
    """ISO 6166: letters as two digits, then as ISO/IEC 7812-1."""
    for number, letter in enumerate("ABCDEFGHIJKLMNOPQRSTUVWXYZ", start=10):
        texts = pc.replace_substring(texts, letter, str(number))
    return luhn("", texts)


def isbn10(_: str, texts: pa.Array) -> Mask:
    """ISO 2108: weights 10 to 1, modulo 11, X for ten."""
    found = np.zeros(len(texts), dtype=np.bool_)
    for places, values in _by_length(texts, "[^0-9A-Za-z]"):
        ten = np.where(values == 33, 10, values)
        found[places] = (ten * np.arange(values.shape[1], 0, -1)).sum(axis=1) % 11 == 0
    return found


# 49 CFR 565.15, table III: the numbers of letters, by the values of `_by_length`; I, O and Q are not used.
LETTERS = dict(zip("ABCDEFGHJKLMNPRSTUVWXYZ", "12345678123457923456789", strict=True))
WEIGHTS = np.array((8, 7, 6, 5, 4, 3, 2, 10, 0, 9, 8, 7, 6, 5, 4, 3, 2))


def vin(_: str, texts: pa.Array) -> Mask:
    """49 CFR 565.15: letters by a table, weights by place, modulo 11; the ninth character is the rest, X for ten."""
    table = np.array([*range(10), *(int(LETTERS.get(each, "0")) for each in "ABCDEFGHIJKLMNOPQRSTUVWXYZ")])
    found = np.zeros(len(texts), dtype=np.bool_)
    for places, values in _by_length(texts, "[^0-9A-Za-z]"):
        if values.shape[1] != len(WEIGHTS):
            continue
        rest = (table[np.clip(values, 0, 35)] * WEIGHTS).sum(axis=1) % 11
        found[places] = values[:, 8] == np.where(rest == 10, 33, rest)
    return found


RULES: dict[str, Rule] = {
    "Luhn": luhn,
    "GS1 modulo 10": gs1,
    "ISO 7064, MOD 97-10": mod97,
    "ISO 7064, MOD 97-10, and that of the country": iban,
    "Luhn, letters as two digits": isin,
    "weights 10 to 2, modulo 11": isbn10,
    "weights 8 to 2, modulo 11": isbn10,
    "weights of 49 CFR 565, modulo 11": vin,
}


def right(rule: str, name: str, text: str) -> bool:
    """Return whether one text has the check digits of a rule."""
    return bool(RULES[rule](name, strings([text]))[0])
