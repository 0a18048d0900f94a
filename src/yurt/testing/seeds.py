"""Seeds of tests: derived from the id of a test, so that they are the same on every machine and in every order."""

from __future__ import annotations

from hashlib import blake2b

# Seeds of nine digits are short enough to be typed again.
SEEDS = 10**9


def seed_of(test_id: str) -> int:
    """Return the seed of a test.

    >>> seed_of("tests/test_huts.py::test_beds")
    482118846
    """
    return int.from_bytes(blake2b(test_id.encode(), digest_size=8).digest(), "big") % SEEDS
