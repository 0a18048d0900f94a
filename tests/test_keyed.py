"""Keyed functions: against published vectors, against a plain reading of the standard, and as permutations."""

from __future__ import annotations

import random
from pathlib import Path

import numpy as np
import pyarrow as pa
import pytest
from cryptography.hazmat.primitives.ciphers import Cipher, algorithms, modes

from yurt.core.base.errors import UsageFault
from yurt.core.keyed.blocks import BlockCipher, keyed_hash
from yurt.core.keyed.ff1 import FF1
from yurt.core.keyed.format_preserving import Cycle, FormatPreserving
from yurt.core.keyed.secret import secret_of

DIGITS = "0123456789abcdefghijklmnopqrstuvwxyz"
K1, K2 = "2B7E151628AED2A6ABF7158809CF4F3C", "2B7E151628AED2A6ABF7158809CF4F3CEF4359D8D580AA4F"
K3 = "2B7E151628AED2A6ABF7158809CF4F3CEF4359D8D580AA4F7F036D6F04FC6A94"
TENS, LONG = "0123456789", "0123456789abcdefghi"
T1, T2 = "39383736353433323130", "3737373770717273373737"
# NIST, "Block Cipher Modes of Operation: FF1 samples" (with SP 800-38G).
VECTORS = [
    (K1, "", 10, TENS, "2433477484"), (K1, T1, 10, TENS, "6124200773"), (K1, T2, 36, LONG, "a9tv40mll9kdu509eum"),
    (K2, "", 10, TENS, "2830668132"), (K2, T1, 10, TENS, "2496655549"), (K2, T2, 36, LONG, "xbj3kv35jrawxv32ysr"),
    (K3, "", 10, TENS, "6657667009"), (K3, T1, 10, TENS, "1001623463"), (K3, T2, 36, LONG, "xs8a0azh2avyalyzuwd"),
]  # fmt: skip


def encrypted(key: bytes, tweak: bytes, radix: int, text: str) -> str:
    half = len(text) // 2
    parts = [np.array([int(part, radix)], dtype=np.uint64) for part in (text[:half], text[half:])]
    left, right = FF1(BlockCipher(key), radix, len(text), tweak)(*parts)
    return written(int(left[0]), radix, half) + written(int(right[0]), radix, len(text) - half)


def written(number: int, radix: int, size: int) -> str:
    return "" if not size else written(number // radix, radix, size - 1) + DIGITS[number % radix]


def by_the_standard(key: bytes, tweak: bytes, radix: int, text: str) -> str:
    """SP 800-38G, algorithm 7, step by step, with Python's integers."""
    n, u = len(text), len(text) // 2
    v = n - u
    a, b = text[:u], text[u:]
    size = -(-((radix**v - 1).bit_length()) // 8)
    d = 4 * -(-size // 4) + 4
    p = (
        bytes((1, 2, 1))
        + radix.to_bytes(3, "big")
        + bytes((10, u % 256))
        + n.to_bytes(4, "big")
        + len(tweak).to_bytes(4, "big")
    )
    aes = Cipher(algorithms.AES(key), modes.ECB()).encryptor()
    for i in range(10):
        q = tweak + bytes((-len(tweak) - size - 1) % 16) + bytes((i,)) + int(b, radix).to_bytes(size, "big")
        r = bytes(16)
        for at in range(0, len(p + q), 16):
            r = aes.update(bytes(x ^ y for x, y in zip(r, (p + q)[at : at + 16], strict=True)))
        s = r
        for j in range(1, -(-d // 16)):
            s += aes.update(bytes(x ^ y for x, y in zip(r, j.to_bytes(16, "big"), strict=True)))
        m = u if i % 2 == 0 else v
        c = (int(a, radix) + int.from_bytes(s[:d], "big")) % radix**m
        a, b = b, written(c, radix, m)
    return a + b


@pytest.mark.parametrize(("key", "tweak", "radix", "plain", "cipher"), VECTORS)
def test_the_vectors_of_the_standard(key: str, tweak: str, radix: int, plain: str, cipher: str) -> None:
    assert encrypted(bytes.fromhex(key), bytes.fromhex(tweak), radix, plain) == cipher
    assert by_the_standard(bytes.fromhex(key), bytes.fromhex(tweak), radix, plain) == cipher


def test_random_strings_are_encrypted_as_the_standard_says() -> None:
    """All lengths, radixes, and tweaks: short and long halves, one block and several, and numbers of more than 64 bits."""
    choice = random.Random(5)
    for _ in range(400):
        radix = choice.choice((2, 3, 8, 10, 16, 26, 36))
        least = next(size for size in range(2, 64) if radix**size >= 1_000_000)
        size = choice.randint(least, least + choice.choice((1, 9, 30)))
        key, tweak = choice.randbytes(16), choice.randbytes(choice.choice((0, 3, 8, 11, 16, 20)))
        text = "".join(choice.choice(DIGITS[:radix]) for _ in range(size))
        if radix ** (size - size // 2) < 1 << 64:
            assert encrypted(key, tweak, radix, text) == by_the_standard(key, tweak, radix, text)


def test_a_domain_that_is_too_small_is_refused() -> None:
    with pytest.raises(ValueError, match="1,000,000"):
        FF1(BlockCipher(bytes(16)), 10, 5)


@pytest.mark.parametrize("size", [1, 2, 9, 10, 676, 99_999, 1_000_000, 1_048_577])
def test_a_cycle_is_a_permutation(size: int) -> None:
    found = Cycle(BlockCipher(b"k" * 16), size, b"name")(np.arange(size, dtype=np.uint64))
    assert np.array_equal(np.sort(found), np.arange(size))
    if size > 100:
        assert not np.array_equal(found, Cycle(BlockCipher(b"l" * 16), size, b"name")(np.arange(size, dtype=np.uint64)))


FORMS = [
    "HK-40218",
    "007",
    "0",
    "7",
    "4021",
    "-12.50",
    "AT61 1904 3002",
    "anna@x.at",
    "Ünal 12b",
    "",
    "no digits: äöü",
    "٣",
]


def test_forms_are_kept_and_different_texts_stay_different() -> None:
    cipher = FormatPreserving(b"k" * 16)

    def shape(text: str) -> str:
        return "".join(
            "9"
            if x in "0123456789"
            else "A"
            if x.isascii() and x.isupper()
            else "a"
            if x.isascii() and x.islower()
            else x
            for x in text
        )

    for before, after in zip(FORMS, cipher(pa.array(FORMS)).to_pylist(), strict=True):
        assert shape(before) == shape(after)
        assert len(before) < 2 or not before[0].isdigit() or (before[0] == "0") == (after[0] == "0") or "-" in before
    whole = [f"{number:04d}" for number in range(10_000)] + [
        f"{a}{b}{n}" for a in "ABCXYZ" for b in "abc" for n in range(10)
    ]
    found = cipher(pa.array(whole)).to_pylist()
    assert len(set(found)) == len(whole) and sum(map(str.__eq__, whole, found)) < 50
    # Values of one form are a permutation of it: of 0000 to 0999, and of 1000 to 9999.
    assert set(found[:1000]) == set(whole[:1000]) and set(found[1000:10_000]) == set(whole[1000:10_000])
    assert cipher(pa.array(whole[::-1])).to_pylist() == found[::-1], "the value decides, not the place"
    long = [f"{number:030d}" for number in range(20_000)]
    assert len(set(cipher(pa.array(long)).to_pylist())) == len(long)


def test_long_texts_are_hashed_as_cbc_of_the_library_does() -> None:
    texts = ["h" * size for size in (1015, 1016, 1017, 1031, 1032, 1033, 1048, 1049, 5000, 77_777)]
    for text, found in zip(
        texts, keyed_hash(BlockCipher(b"k" * 16), pa.array(["a", *texts]))[1:].tolist(), strict=True
    ):
        encryptor = Cipher(algorithms.AES(b"k" * 16), modes.CBC(bytes(16))).encryptor()
        data = len(text).to_bytes(8, "little") + text.encode()
        last = encryptor.update(data + bytes(-len(data) % 16))[-16:]
        assert found == int.from_bytes(last[:8], "little"), len(text)


def test_a_keyed_hash_depends_on_every_byte_and_on_the_length() -> None:
    texts = ["", "\0", "\0\0", "a", "a\0", "abcdefgh", "abcdefghi", "abcdefgh\0", "x" * 100, "x" * 101, "y" + "x" * 100]
    found = keyed_hash(BlockCipher(b"k" * 16), pa.array(texts))
    assert len(set(found.tolist())) == len(texts)
    assert found[3:].tolist() == keyed_hash(BlockCipher(b"k" * 16), pa.array(texts)[3:]).tolist()
    assert not set(found.tolist()) & set(keyed_hash(BlockCipher(b"l" * 16), pa.array(texts)).tolist())
    many = keyed_hash(BlockCipher(b"k" * 16), pa.array([str(each) for each in range(100_000)]))
    assert len(np.unique(many)) == 100_000
    bits = np.unpackbits(many.view(np.uint8)).mean()
    assert 0.499 < bits < 0.501


def test_a_secret_comes_from_a_file_or_the_environment_or_is_drawn(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.delenv("YURT_SECRET", raising=False)
    assert secret_of(None).drawn and secret_of(None).value != secret_of(None).value
    made = secret_of(tmp_path / "key.txt")
    assert (tmp_path / "key.txt").stat().st_mode & 0o777 == 0o600
    again = secret_of(tmp_path / "key.txt")
    assert made.value == again.value and len(made.value) == 64
    monkeypatch.setenv("YURT_SECRET", made.value.decode())
    assert secret_of(None).key("a") == again.key("a") != again.key("b")
    assert made.value.decode() not in repr(made)
    monkeypatch.setenv("YURT_SECRET", "short")
    with pytest.raises(UsageFault, match="at least 16"):
        secret_of(None)
