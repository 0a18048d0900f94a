"""The rules of check digits, written independently of those that make them; each checks a whole column.

Every rule takes the name of the kind and texts that have the kind's shape already.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow, bytes_of, distinct, flags, numbers, strings
from yurt.core.columns.column import Mask
from yurt.core.columns.matching import follows
from yurt.core.kinds.contract import Contract
from yurt.core.kinds.numbers.shapes import COMPANIES as COMPANY_SHAPES
from yurt.core.kinds.numbers.shapes import PERSONS as PERSON_SHAPES
from yurt.core.patterns.parse import parse
from yurt.core.verify.national_numbers import COMPANIES, PERSONS

# Characters of texts of one length, characters × texts: digits, and 10 to 35 for letters.
Values = NDArray[np.uint8]
Rule = Callable[[str, pa.Array], Mask]
# The value of each byte; only digits and letters have one.
NO_VALUE = 255
VALUE = np.full(256, NO_VALUE, dtype=np.uint8)
VALUE[ord("0") : ord("9") + 1] = np.arange(10)
VALUE[ord("A") : ord("Z") + 1] = VALUE[ord("a") : ord("z") + 1] = np.arange(10, 36)
NO_DIGIT, NO_LETTER = "[^0-9]", "[^0-9A-Za-z]"
LETTER_X = 33
# Kinds whose country, or `RF`, and check digits count after the rest.
MOVED = ("creditor-reference", "iban", "iban-in-groups")
# The value of a digit, and its doubled value: a double of two digits counts as their sum.
DOUBLED = np.array((*range(10), 0, 2, 4, 6, 8, 1, 3, 5, 7, 9), dtype=np.uint16)
# The number of two-digit values that fit into 64 bits with a remainder below 97.
AT_ONCE = 7


def _by_length(texts: pa.Array, left_out: str) -> Iterator[tuple[NDArray[np.intp], Values]]:
    """Yield the positions of texts of one length, and the values of their characters.

    Characters that the expression `left_out` matches do not count.
    """
    highest = 9 if left_out == NO_DIGIT else 35
    if (VALUE[bytes_of(texts)] > highest).any():
        texts = pc.replace_substring_regex(texts, pattern=left_out, replacement="")
    lengths = numbers(pc.binary_length(texts), np.int32)
    for length in distinct(lengths):
        places = np.flatnonzero(lengths == length)
        chosen = texts if len(places) == len(texts) else pc.take(texts, arrow(places))
        yield places, np.ascontiguousarray(VALUE[bytes_of(chosen)].reshape(len(places), length).T)


def _of_values(texts: pa.Array, left_out: str, good: Callable[[Values], Mask]) -> Mask:
    found = np.zeros(len(texts), dtype=np.bool_)
    for places, values in _by_length(texts, left_out):
        found[places] = good(values)
    return found


def _sums_of_doubles(values: Values) -> Mask:
    turned = values[::-1]
    doubled = turned[1::2] * np.uint8(2)
    whole = turned[::2].sum(axis=0, dtype=np.int32) + (doubled - 9 * (doubled > 9)).sum(axis=0, dtype=np.int32)
    found: Mask = whole % 10 == 0
    return found


def luhn(_: str, texts: pa.Array) -> Mask:
    """ISO/IEC 7812-1, annex B: from the right, every second digit counts double; a double of two digits counts as their
    sum.
    """
    return _of_values(texts, NO_DIGIT, _sums_of_doubles)


def gs1(_: str, texts: pa.Array) -> Mask:
    """GS1 General Specifications, 7.9: weights 3 and 1 from the right, the last digit weighs 1."""

    def good(values: Values) -> Mask:
        turned = values[::-1]
        whole = turned[::2].sum(axis=0, dtype=np.int32) + 3 * turned[1::2].sum(axis=0, dtype=np.int32)
        found: Mask = whole % 10 == 0
        return found

    return _of_values(texts, NO_DIGIT, good)


def mod97(name: str, texts: pa.Array) -> Mask:
    """ISO 7064, MOD 97-10; ISO 11649 and ISO 13616 move the first four characters to the end."""

    def good(values: Values) -> Mask:
        if not len(values):
            return np.zeros(values.shape[1], dtype=np.bool_)
        chosen = np.concatenate((values[4:], values[:4])) if name in MOVED else values
        rest = np.zeros(values.shape[1], dtype=np.int64)
        for at, value in enumerate(chosen, start=1):
            # Most positions of an account contain only digits.
            rest *= 10 if value.max(initial=0) < 10 else np.where(value < 10, np.int64(10), np.int64(100))
            rest += value
            if at % AT_ONCE == 0 or at == len(chosen):
                rest %= 97
        found: Mask = rest == 1
        return found

    return _of_values(texts, NO_LETTER, good)


def isin(_: str, texts: pa.Array) -> Mask:
    """ISO 6166: letters as two digits, then as ISO/IEC 7812-1."""

    def good(values: Values) -> Mask:
        whole = np.zeros(values.shape[1], dtype=np.uint16)
        # The row of `DOUBLED` for the next digit: 0 plain, 1 double.
        row = np.zeros(values.shape[1], dtype=np.uint8)
        for value in values[::-1]:
            if value.max(initial=0) < 10:
                whole += DOUBLED.take(row * np.uint8(10) + value)
                row ^= 1
                continue
            letter = value > 9
            whole += DOUBLED.take(row * np.uint8(10) + value % np.uint8(10))
            whole += DOUBLED.take((row ^ 1) * np.uint8(10) + value // np.uint8(10)) * letter
            row ^= ~letter
        found: Mask = whole % 10 == 0
        return found

    return _of_values(texts, NO_LETTER, good)


def isbn10(_: str, texts: pa.Array) -> Mask:
    """ISO 2108: weights 10 to 1, modulo 11, X for ten."""

    def good(values: Values) -> Mask:
        ten = np.where(values == LETTER_X, 10, values).astype(np.int32)
        found: Mask = (ten * np.arange(len(values), 0, -1)[:, None]).sum(axis=0) % 11 == 0
        return found

    return _of_values(texts, NO_LETTER, good)


# UPU S10, annex: the weight of each of the eight digits after the two letters.
S10 = np.array((8, 6, 4, 2, 3, 5, 9, 7))


def s10(_: str, texts: pa.Array) -> Mask:
    """UPU S10: 11 minus the remainder of the weighted sum modulo 11; 10 is written 0, and 11 is written 5."""

    def good(values: Values) -> Mask:
        if len(values) != len("LL000000000LL"):
            return np.zeros(values.shape[1], dtype=np.bool_)
        rest = (values[2:10].astype(np.int32) * S10[:, None]).sum(axis=0) % 11
        found: Mask = values[10] == np.array((5, 0, 9, 8, 7, 6, 5, 4, 3, 2, 1))[rest]
        return found

    return _of_values(texts, NO_LETTER, good)


def cusip(_: str, texts: pa.Array) -> Mask:
    """ANSI X9.6: values at even positions count double; the sum of all digits is 0 modulo 10."""

    def good(values: Values) -> Mask:
        counted = values.astype(np.int32)
        counted[1:8:2] *= 2
        found: Mask = (counted // 10 + counted % 10).sum(axis=0) % 10 == 0
        return found

    return _of_values(texts, NO_LETTER, good)


def _weighted(weights: tuple[int, ...]) -> Rule:
    """Return the rule of numbers whose weighted sum is 0 modulo 10."""

    def rule(_: str, texts: pa.Array) -> Mask:
        def good(values: Values) -> Mask:
            if len(values) != len(weights):
                return np.zeros(values.shape[1], dtype=np.bool_)
            found: Mask = (values.astype(np.int32) * np.array(weights)[:, None]).sum(axis=0) % 10 == 0
            return found

        return _of_values(texts, NO_LETTER, good)

    return rule


def container(_: str, texts: pa.Array) -> Mask:
    """ISO 6346, annex A: letters from 10 on without 11, 22, and 33, by powers of two; the remainder modulo 11 is the
    last digit.
    """

    def good(values: Values) -> Mask:
        if len(values) != len("ABCU1234560"):
            return np.zeros(values.shape[1], dtype=np.bool_)
        counted = values[:10].astype(np.int32)
        counted += (counted > 10).astype(np.int32) + (counted > 20) + (counted > 30)
        found: Mask = (counted * (1 << np.arange(10))[:, None]).sum(axis=0) % 11 % 10 == values[10]
        return found

    return _of_values(texts, NO_LETTER, good)


# 49 CFR 565.15, table III: the numbers of letters; I, O, and Q are not used.
LETTERS = dict(zip("ABCDEFGHJKLMNPRSTUVWXYZ", "12345678123457923456789", strict=True))
WEIGHTS = np.array((8, 7, 6, 5, 4, 3, 2, 10, 0, 9, 8, 7, 6, 5, 4, 3, 2))


def vin(_: str, texts: pa.Array) -> Mask:
    """49 CFR 565.15: letters by a table, weights by position, modulo 11; the ninth character is the remainder, X for
    ten.
    """
    table = np.array([*range(10), *(int(LETTERS.get(each, "0")) for each in "ABCDEFGHIJKLMNOPQRSTUVWXYZ")])

    def good(values: Values) -> Mask:
        if len(values) != len(WEIGHTS):
            return np.zeros(values.shape[1], dtype=np.bool_)
        rest = sum(table[value] * weight for value, weight in zip(values, WEIGHTS, strict=True)) % 11
        found: Mask = values[8] == np.where(rest == 10, LETTER_X, rest)
        return found

    return _of_values(texts, NO_LETTER, good)


# Characters of the Mexican rules that have no value here.
BEYOND = "[&Ñ]"


def by_the_country(name: str, texts: pa.Array, countries: tuple[str, ...]) -> Mask:
    """Return where a number has the shape and the check digits of one of the countries."""
    shapes, rules = (PERSON_SHAPES, PERSONS) if name == "national-id" else (COMPANY_SHAPES, COMPANIES)
    found = flags(pc.match_substring_regex(texts, BEYOND))
    for country in countries:
        places = np.flatnonzero(follows(parse(shapes[country].pattern), texts) & ~found)
        for some, values in _by_length(pc.take(texts, arrow(places)), NO_LETTER):
            found[places[some]] = rules[country](values.astype(np.int64))
    return found


RULES: dict[str, Rule] = {
    "Luhn": luhn,
    "GS1 modulo 10": gs1,
    "ISO 7064, MOD 97-10": mod97,
    "Luhn, letters as two digits": isin,
    "weights 10 to 2, modulo 11": isbn10,
    "weights 8 to 2, modulo 11": isbn10,
    "weights of 49 CFR 565, modulo 11": vin,
    "UPU S10": s10,
    "ANSI X9.6": cusip,
    "weights 1 3 1 7 3 9 1, modulo 10": _weighted((1, 3, 1, 7, 3, 9, 1)),
    "weights 3 7 1, modulo 10": _weighted((3, 7, 1, 3, 7, 1, 3, 7, 1)),
    "ISO 6346": container,
}


def judged(contract: Contract, name: str, texts: pa.Array) -> Mask:
    """Return where texts of the right shape have the check digits of a kind's contract."""
    if contract.check == "by the country":
        return by_the_country(name, texts, contract.countries)
    return RULES[contract.check](name, texts)


def right(contract: Contract, name: str, text: str) -> bool:
    """Return whether one text of the right shape has the check digits of a kind's contract."""
    return bool(judged(contract, name, strings([text]))[0])
