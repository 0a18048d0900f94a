"""The schemes of payment cards: the beginnings of their numbers, and of the numbers published for tests."""

from __future__ import annotations

import re

from yurt.core.base.data_classes import dataclass

# The digits at the start of test numbers that are used here: as many as an issuer has (ISO/IEC 7812-1, 2017).
ISSUER = 8


@dataclass(frozen=True)
class Scheme:
    """One scheme: its name, the beginnings of its numbers as a pattern, their length, and test numbers.

    `tests` are numbers that the schemes and their processors publish for tests. `live` is a beginning in use.
    """

    title: str
    beginnings: str
    length: int
    tests: tuple[str, ...]
    live: str
    share: float

    @property
    def safe(self) -> tuple[str, ...]:
        """The beginnings of the test numbers."""
        return tuple(each[:ISSUER] for each in self.tests)


SCHEMES = {
    "visa": Scheme("Visa", "4", 16, ("4111111111111111", "4012888888881881"), "4", 0.45),
    "mastercard": Scheme(
        "Mastercard",
        "5[1-5]|222[1-9]|22[3-9]|2[3-6]|27[01]|2720",
        16,
        ("5555555555554444", "5105105105105100", "2223003122003222"),
        "53",
        0.3,
    ),
    "amex": Scheme("American Express", "3[47]", 15, ("378282246310005", "371449635398431"), "37", 0.1),
    "discover": Scheme("Discover", "6011|64[4-9]|65", 16, ("6011111111111117", "6011000990139424"), "6011", 0.05),
    "diners": Scheme("Diners Club", "30[0-59]|3[689]", 14, ("30569309025904", "38520000023237"), "36", 0.02),
    "jcb": Scheme("JCB", "352[89]|35[3-8]", 16, ("3530111333300000", "3566002020360505"), "353", 0.04),
    "unionpay": Scheme("UnionPay", "62", 16, ("6200000000000005",), "62", 0.04),
}


def spaced(beginnings: str) -> str:
    """Return a pattern of beginnings in which a space may follow every digit."""
    return re.sub(r"(\[[^]]*\]|[0-9])", r"\1 ?", beginnings)
