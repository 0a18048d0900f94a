"""AES on many blocks of 16 bytes at once (FIPS 197), and the keyed hash that follows from it."""

from __future__ import annotations

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from yurt.core.base.arrays import bytes_of

Bytes = NDArray[np.uint8]
SIZE = 16
# The bytes of a text from which on it is hashed by itself.
LONG = 1024


class BlockCipher:
    """AES with one key. Each block is encrypted by itself (ECB): what makes it safe is up to the caller."""

    def __init__(self, key: bytes) -> None:
        # Most runs encrypt nothing, and this is slow to import.
        from cryptography.hazmat.primitives.ciphers import Cipher, algorithms, modes

        self._key = key
        self._cipher = Cipher(algorithms.AES(key), modes.ECB())  # noqa: S305  blocks chain in the caller

    def __call__(self, blocks: Bytes) -> Bytes:
        """Return encrypted blocks, for an array of shape (blocks, 16)."""
        if not len(blocks):
            return blocks
        encryptor = self._cipher.encryptor()
        done = encryptor.update(np.ascontiguousarray(blocks).data.cast("B"))
        return np.frombuffer(done, dtype=np.uint8).reshape(-1, SIZE)

    def chained(self, state: bytes, data: bytes) -> bytes:
        """Return the state after the blocks of the data, of which the last one is filled up with zeros (CBC)."""
        from cryptography.hazmat.primitives.ciphers import Cipher, algorithms, modes

        encryptor = Cipher(algorithms.AES(self._key), modes.CBC(state)).encryptor()
        return encryptor.update(data + bytes(-len(data) % SIZE))[-SIZE:]


def keyed_hash(cipher: BlockCipher, texts: pa.Array) -> NDArray[np.uint64]:
    """Return a keyed hash of 64 bits for each text.

    CBC-MAC over the length of the text and its bytes: with the length in the first block, no text begins with another
    one, which is what makes CBC-MAC a pseudorandom function (M. Bellare, J. Kilian, P. Rogaway: "The security of the
    cipher block chaining message authentication code", 2000).
    """
    count = len(texts)
    offsets = np.frombuffer(texts.buffers()[1], dtype=np.int32)[texts.offset : texts.offset + count + 1]
    data = bytes_of(texts)
    starts = (offsets[:-1] - offsets[0]).astype(np.int64) if count else np.empty(0, dtype=np.int64)
    lengths = np.diff(offsets).astype(np.int64)
    # The first block has the length and the first 8 bytes; all further ones have 16 bytes.
    state = np.zeros((count, SIZE), dtype=np.uint8)
    state[:, :8] = lengths.astype("<u8").view(np.uint8).reshape(-1, 8)
    _put(state[:, 8:], data, starts, lengths)
    state = cipher(state).copy()
    at = 8
    waiting = np.flatnonzero(lengths > at)
    while len(waiting):
        if at > LONG:
            # Few texts are as long as this, and those that are may be far longer.
            for each in waiting.tolist():
                rest = data[starts[each] + at : starts[each] + lengths[each]].tobytes()
                state[each] = np.frombuffer(cipher.chained(state[each].tobytes(), rest), dtype=np.uint8)
            break
        block = np.zeros((len(waiting), SIZE), dtype=np.uint8)
        _put(block, data, starts[waiting] + at, lengths[waiting] - at)
        state[waiting] = cipher(state[waiting] ^ block)
        at += SIZE
        waiting = waiting[lengths[waiting] > at]
    return np.ascontiguousarray(state[:, :8]).view("<u8").reshape(-1).astype(np.uint64)


def _put(into: Bytes, data: Bytes, starts: NDArray[np.int64], lengths: NDArray[np.int64]) -> None:
    """Put the next bytes of each text into the columns of a matrix; what is behind the end stays 0."""
    if not len(data):
        return
    for column in range(into.shape[1]):
        places = np.minimum(starts + column, len(data) - 1)
        np.multiply(data[places], lengths > column, out=into[:, column])
