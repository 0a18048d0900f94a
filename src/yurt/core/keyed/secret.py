"""The secret behind substitutes, and the keys that are derived from it."""

from __future__ import annotations

import hashlib
import os
import secrets
from pathlib import Path

from yurt.core.base.data_classes import dataclass, field
from yurt.core.base.errors import SurroundingsFault, UsageFault

# The least number of characters of a secret: shorter ones are guessed.
LEAST = 16
VARIABLE = "YURT_SECRET"


@dataclass(frozen=True)
class Secret:
    """A secret; it is in no message, and its text form does not show it."""

    value: bytes = field(repr=False)
    # Where it comes from, for the summary.
    origin: str
    drawn: bool = False

    def key(self, *purpose: str) -> bytes:
        """Return a key of 16 bytes for a purpose (BLAKE2b as a keyed hash, RFC 7693)."""
        name = "\x1f".join(purpose).encode()
        own = hashlib.blake2b(self.value, digest_size=32, person=b"yurt.secret").digest()
        return hashlib.blake2b(name, key=own, digest_size=16, person=b"yurt.key").digest()

    def seed(self) -> int:
        """Return a seed for streams of random numbers."""
        return int.from_bytes(self.key("seed")[:7], "little")


def secret_of(path: Path | None, write: bool = True) -> Secret:
    """Return the secret in a file, else the one in the environment, else a new one.

    A file that does not exist gets a new secret, which only its owner can read. Raises UsageFault for a secret that is
    too short.
    """
    if path is None and not (value := os.environ.get(VARIABLE, "")):
        return Secret(secrets.token_bytes(32), "drawn for this run alone", drawn=True)
    if path is None:
        return _checked(value.strip().encode(), f"the variable {VARIABLE}")
    try:
        found = path.read_bytes()
    except FileNotFoundError:
        if not write:
            raise UsageFault(f"there is no file {path}") from None
        return Secret(_drawn(path), f"{path}, drawn and written now")
    except OSError as error:
        raise SurroundingsFault(f"{path}: {(error.strerror or str(error)).lower()}") from None
    return _checked(found.strip(), str(path))


def _checked(value: bytes, origin: str) -> Secret:
    if len(value) < LEAST:
        raise UsageFault(f"{origin}: the secret has {len(value)} characters; it needs at least {LEAST}")
    return Secret(value, origin)


def _drawn(path: Path) -> bytes:
    value = secrets.token_hex(32).encode()
    try:
        with os.fdopen(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "wb") as stream:
            stream.write(value + b"\n")
    except OSError as error:
        raise SurroundingsFault(f"{path}: {(error.strerror or str(error)).lower()}") from None
    return value
