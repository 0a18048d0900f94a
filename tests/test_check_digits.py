"""The validator's check digits, compared text by text with another library, and their cost per row."""

from __future__ import annotations

import random
import re
import time
from collections.abc import Callable
from datetime import date
from io import BytesIO

import pytest
from stdnum import cusip, ean, iban, isin, issn, luhn
from stdnum.gb import sedol
from stdnum.isbn import is_valid
from stdnum.iso7064 import mod_97_10
from stdnum.us import rtn

from yurt.core.base.arrays import strings
from yurt.core.language.reader import read
from yurt.core.source.diagnostics import Source
from yurt.core.verify.check_digits import RULES
from yurt.core.verify.validator import Validator
from yurt.core.verify.verification import Data, Verification

from .conftest import schema_of

DICE = random.Random(7)
DIGITS = "0123456789"
LETTERS = "ABCDEFGHIJKLMNOPQRSTUVWXYZ"


def some(alphabet: str, length: int) -> str:
    return "".join(DICE.choice(alphabet) for _ in range(length))


def vin_rest(text: str) -> str:
    """A second implementation of 49 CFR 565.15, position by position."""
    values = {each: int(each) for each in DIGITS}
    values |= dict(zip("ABCDEFGH", range(1, 9), strict=True)) | dict(zip("JKLMN", range(1, 6), strict=True))
    values |= {"P": 7, "R": 9} | dict(zip("STUVWXYZ", range(2, 10), strict=True))
    weights = [8, 7, 6, 5, 4, 3, 2, 10, 0, 9, 8, 7, 6, 5, 4, 3, 2]
    rest = sum(values[char] * weight for char, weight in zip(text, weights, strict=True)) % 11
    return "X" if rest == 10 else str(rest)


def vin() -> str:
    alphabet = "".join(each for each in LETTERS + DIGITS if each not in "IOQ")
    text = some(alphabet, 17)
    return text[:8] + vin_rest(text) + text[9:]


def parcel_rest(text: str) -> str:
    """UPU S10-12, position by position: remainders 10 and 11 have their own digits."""
    rest = 11 - sum(int(text[2 + at]) * weight for at, weight in enumerate((8, 6, 4, 2, 3, 5, 9, 7))) % 11
    return {10: "0", 11: "5"}.get(rest, str(rest))


def parcel() -> str:
    text = some(LETTERS, 2) + some(DIGITS, 8)
    return text + parcel_rest(text) + some(LETTERS, 2)


def box_rest(text: str) -> str:
    """ISO 6346, position by position: letters start at 10 and skip multiples of 11."""
    values = dict(zip(LETTERS, [each for each in range(10, 39) if each % 11], strict=True))
    values |= {each: int(each) for each in DIGITS}
    return str(sum(values[char] * 2**at for at, char in enumerate(text[:10])) % 11 % 10)


def box() -> str:
    text = some(LETTERS, 3) + "U" + some(DIGITS, 6)
    return text + box_rest(text)


def credit_reference() -> str:
    body = some(DIGITS + LETTERS, DICE.randint(1, 21))
    return f"RF{98 - int(''.join(str(int(each, 36)) for each in body + 'RF00')) % 97:02}{body}"


def account() -> str:
    body = some(DIGITS, 18)
    return f"DE{98 - int(''.join(str(int(each, 36)) for each in body + 'DE00')) % 97:02}{body}"


def isin_number() -> str:
    body = DICE.choice(("US", "DE", "XS")) + some(DIGITS + LETTERS, 9)
    return body + isin.calc_check_digit(body)


def isbn10() -> str:
    body = some(DIGITS, 9)
    rest = -sum(int(digit) * weight for digit, weight in zip(body, range(10, 1, -1), strict=True)) % 11
    return body + ("X" if rest == 10 else str(rest))


# The name of a rule, a generator of valid numbers, and an independent check of a number.
TABLE: dict[str, tuple[str, Callable[[], str], Callable[[str], bool]]] = {
    "Luhn": (
        "Luhn",
        lambda: (lambda body: body + luhn.calc_check_digit(body))(some(DIGITS, DICE.randint(8, 18))),
        luhn.is_valid,
    ),
    "GS1, 13 digits": (
        "GS1 modulo 10",
        lambda: (lambda body: body + ean.calc_check_digit(body))(some(DIGITS, 12)),
        ean.is_valid,
    ),
    "GS1, 8 digits": (
        "GS1 modulo 10",
        lambda: (lambda body: body + ean.calc_check_digit(body))(some(DIGITS, 7)),
        ean.is_valid,
    ),
    "97-10": (
        "ISO 7064, MOD 97-10",
        lambda: (lambda body: body + mod_97_10.calc_check_digits(body))(some(DIGITS, 14)),
        mod_97_10.is_valid,
    ),
    "97-10 with letters": (
        "ISO 7064, MOD 97-10",
        lambda: (lambda body: body + mod_97_10.calc_check_digits(body))(
            DICE.choice(("AB", "RF")) + some(DIGITS + LETTERS, 14)
        ),
        mod_97_10.is_valid,
    ),
    "a creditor's reference": (
        "ISO 7064, MOD 97-10",
        credit_reference,
        lambda text: text[:2] != "RF" or mod_97_10.is_valid(text[4:] + text[:4]),
    ),
    "an account": ("ISO 7064, MOD 97-10", account, lambda text: iban.is_valid(text, check_country=False)),
    "a security": ("Luhn, letters as two digits", isin_number, isin.is_valid),
    "a book of ten": ("weights 10 to 2, modulo 11", isbn10, is_valid),
    "a vehicle": ("weights of 49 CFR 565, modulo 11", vin, lambda text: text[8] == vin_rest(text)),
    "a parcel": ("UPU S10", parcel, lambda text: text[10] == parcel_rest(text)),
    "a box": ("ISO 6346", box, lambda text: text[10] == box_rest(text)),
    "a journal": (
        "weights 8 to 2, modulo 11",
        lambda: (lambda body: body + issn.calc_check_digit(body))(some(DIGITS, 7)),
        issn.is_valid,
    ),
    "a bank": (
        "weights 3 7 1, modulo 10",
        lambda: (lambda body: body + rtn.calc_check_digit(body))(some(DIGITS, 8)),
        lambda text: rtn.calc_check_digit(text[:-1]) == text[-1],
    ),
    "a share of London": (
        "weights 1 3 1 7 3 9 1, modulo 10",
        lambda: (lambda body: body + sedol.calc_check_digit(body))(some("BCDFGHJKLMNPQRSTVWXYZ" + DIGITS, 6)),
        lambda text: sedol.calc_check_digit(text[:-1]) == text[-1],
    ),
    "a share of New York": (
        "ANSI X9.6",
        lambda: (lambda body: body + cusip.calc_check_digit(body))(some(DIGITS + LETTERS, 8)),
        lambda text: cusip.calc_check_digit(text[:-1]) == text[-1],
    ),
}


SHAPES = {
    "a security": ".*[0-9]",
    "a vehicle": ".{8}[^IOQ].*",
    "a parcel": "[A-Z]{2}[0-9]{9}[A-Z]{2}",
    "a box": "[A-Z]{4}[0-9]{7}",
    "a share of London": ".*[0-9]",
    "a share of New York": ".*[0-9]",
}


@pytest.mark.parametrize("name", TABLE)
def test_right_numbers_are_right_and_wrong_digits_are_found(name: str) -> None:
    """Two hundred numbers, each also with one digit changed, two neighbours swapped, and the last character changed."""
    rule, make, known = TABLE[name]
    kind = "creditor-reference" if name.startswith("a creditor") else "iban" if name == "an account" else ""
    texts = [make() for _ in range(200)]
    assert all(known(each) for each in texts)
    assert RULES[rule](kind, strings(texts)).all()
    for text in texts:
        at = DICE.randrange(4 if kind else 2 if name == "a security" else 0, len(text))
        wrong = [text[:at] + str((int(text[at], 36) + DICE.randint(1, 9)) % 10) + text[at + 1 :]]
        if at + 1 < len(text) and "X" not in text[at:]:
            wrong.append(text[:at] + text[at + 1] + text[at] + text[at + 2 :])
        found = RULES[rule](kind, strings(wrong)).tolist()
        for changed, good in zip(wrong, found, strict=True):
            # The shape is checked before the digits.
            if re.fullmatch(SHAPES.get(name, ".*"), changed):
                assert good == known(changed), (name, text, changed)


def test_marks_between_groups_do_not_count() -> None:
    for rule, text in (("Luhn", "4992-7398 716"), ("Luhn", "49927398716"), ("GS1 modulo 10", "(4)006381-333931")):
        wrong = text[:-1] + str((int(text[-1]) + 3) % 10)
        # Where digits are counted, letters are ignored as separators.
        assert RULES[rule]("", strings([text, wrong, f"x{text}z"])).tolist() == [True, False, True]
        for letter in "abcdefgh":
            assert RULES[rule]("", strings([f"{text}{letter}", f"{letter}{wrong}"])).tolist() == [True, False]
    grouped = ["DE89 3704 0044 0532 0130 00", "DE89 3704 0044 0532 0130 01", "de89370400440532013000"]
    assert RULES["ISO 7064, MOD 97-10"]("iban-in-groups", strings(grouped)).tolist() == [True, False, True]


def test_rules_take_texts_of_any_length_and_none() -> None:
    for rule, predicate in RULES.items():
        assert predicate("", strings([])).tolist() == []
        assert predicate("iban", strings(["1", "12345678901234567890123"])).shape == (2,)
        # A number equal to its own remainder passes this rule; another rule checks its shape.
        assert predicate("iban", strings(["1"]))[0] == rule.startswith("ISO 7064")


# ---- cost ------------------------------------------------------------------------------------------------------------

ROWS = 20_000
FIELDS = [
    "integer 1..999999",
    "integer 1..99, unique",
    "decimal 0.50..20000.00",
    "boolean",
    "date 2026-01-01..2026-12-31, on mon..fri",
    "time 08:00..18:00 step 15min",
    "datetime 2026-01-01T00:00..2026-12-31T00:00",
    "duration 1h..9h step 1min",
    "one of red 60% | green | blue",
    "text 1..40",
    "text 1..2000 of lower",
    "/[A-Z]{2}-[0-9]{4}/",
    "/[a-z]{1,40}@[a-z]{3}/",
    "uuid",
    "sequence",
    "given-name",
    "email",
    "iban",
    "cc-number",
    "isbn-10",
    "vin",
    "isin",
]


@pytest.mark.parametrize("line", [each for each in FIELDS if "unique" not in each])
def test_no_row_costs_more_than_a_microsecond_a_field(line: str, monkeypatch: pytest.MonkeyPatch) -> None:
    """The time of the validator's own thread; the best of several runs, so that other work does not count."""
    from yurt.core.engine.run import Run, RunOptions
    from yurt.core.formats import FORMATS
    from yurt.core.writing.runs import write

    schema, _ = read(Source("s", schema_of(f"a: '{line}'", ROWS, head="seed: 1\ntoday: 2026-06-01\nlocale: en-GB\n")))
    out = BytesIO()
    write(Run(schema, RunOptions()), "row", (0, ROWS), FORMATS["csv"], out, 1)
    spent: list[float] = []
    plain = Validator.frame

    def timed(self: Validator, *given: object) -> object:
        begun = time.thread_time()
        try:
            return plain(self, *given)  # type: ignore[arg-type]
        finally:
            spent[-1] += time.thread_time() - begun

    monkeypatch.setattr(Validator, "frame", timed)
    # A text of a thousand characters costs one vectorised pass; row by row it cost 1,200 µs.
    limit = 30 if "2000" in line else 1
    for _ in range(8):
        spent.append(0.0)
        data = {"row": Data("row", lambda: BytesIO(out.getvalue()), "csv")}
        assert list(Verification(schema, data, date(2026, 6, 1)).run()) == []
        if (per_row := min(spent) / ROWS * 1e6) < limit:
            return
    assert per_row < limit * _slowness()


def _slowness() -> float:
    """Return how many times slower than usual this machine is now; at least 1."""
    begun = time.thread_time()
    assert sum(each * each for each in range(1_000_000))
    return max((time.thread_time() - begun) / 0.1, 1.0)
