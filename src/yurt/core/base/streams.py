"""Streams of bytes that are changed on the way: compressed files, and files in other encodings."""

from __future__ import annotations

import io
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import IO, Any

from yurt.core.base.errors import UsageFault

PIECE = 1 << 20
# The codec of a compressed file by its suffix.
COMPRESSED = {".gz": "gzip", ".zst": "zstd"}


class Rewindable(io.RawIOBase):
    """A file to read whose bytes come from an iterator; to go back, it begins again."""

    def __init__(self, pieces: Callable[[], Iterator[bytes]], close: Callable[[], object]) -> None:
        self.make, self.closing = pieces, close
        self._begin()

    def _begin(self) -> None:
        self.pieces = self.make()
        self.rest, self.at = b"", 0

    def readable(self) -> bool:
        """Return True."""
        return True

    def seekable(self) -> bool:
        """Return True."""
        return True

    def tell(self) -> int:
        """Return the offset of the next byte."""
        return self.at

    def seek(self, offset: int, whence: int = 0) -> int:
        """Go to an offset from the start."""
        assert whence == 0
        if offset < self.at:
            self._begin()
        while self.at < offset and self.read(min(PIECE, offset - self.at)):
            pass
        return self.at

    def _more(self) -> bool:
        piece = next(self.pieces, None)
        self.rest += piece or b""
        return piece is not None

    def read(self, size: int | None = -1) -> bytes:
        """Return the next bytes: as many, unless the file ends."""
        whole = size is None or size < 0
        while (whole or len(self.rest) < (size or 0)) and self._more():
            pass
        end = len(self.rest) if whole else size or 0
        found, self.rest = self.rest[:end], self.rest[end:]
        self.at += len(found)
        return found

    def readline(self, size: int | None = -1) -> bytes:
        """Return the next line, of at most so many bytes."""
        most = 1 << 62 if size is None or size < 0 else size
        while b"\n" not in self.rest and len(self.rest) < most and self._more():
            pass
        return self.read(min(self.rest.find(b"\n") + 1 or len(self.rest), most))

    def close(self) -> None:
        """Close the file underneath."""
        if not self.closed:
            self.closing()
        super().close()


def plain_suffix(path: Path) -> str:
    """Return the suffix of a file name in small letters, without that of a compression."""
    suffix = path.suffix.lower()
    return path.with_suffix("").suffix.lower() if suffix in COMPRESSED else suffix


def compressing(path: Path, stream: IO[bytes]) -> IO[bytes]:
    """Return a stream that compresses, if the name of the file asks for it. Closing it closes the one underneath."""
    match COMPRESSED.get(path.suffix.lower()):
        case "gzip":
            import gzip

            # Neither the name nor the time belongs into the file: the same rows are the same bytes.
            return _Closing(gzip.GzipFile("", "wb", 3, stream, mtime=0), stream)  # type: ignore[return-value]
        case "zstd":
            import pyarrow

            compressor = pyarrow.CompressedOutputStream(pyarrow.PythonFile(stream, "w"), "zstd")
            return _Closing(compressor, stream)  # type: ignore[return-value]
        case _:
            return stream


def decompressing(path: Path, open_file: Callable[[], IO[bytes]]) -> Callable[[], IO[bytes]]:
    """Return how to open a file that may be compressed, as its name says."""
    codec = COMPRESSED.get(path.suffix.lower())
    if codec is None:
        return open_file

    def opened() -> IO[bytes]:
        import pyarrow

        stream = open_file()

        def pieces() -> Iterator[bytes]:
            stream.seek(0)
            source = pyarrow.CompressedInputStream(pyarrow.PythonFile(_Open(stream), "r"), codec)
            try:
                while piece := source.read(PIECE):
                    yield piece
            except OSError as fault:
                raise UsageFault(f"{path}: not a {codec} file: {str(fault).partition(';')[0]}") from None

        return Rewindable(pieces, stream.close)  # type: ignore[return-value]

    return opened


class _Closing:
    """A compressor that closes the stream underneath as well."""

    def __init__(self, compressor: Any, stream: IO[bytes]) -> None:
        self.compressor, self.stream = compressor, stream

    def write(self, data: bytes) -> None:
        self.compressor.write(data)

    def close(self) -> None:
        if not self.stream.closed:
            self.compressor.close()
            self.stream.close()


class _Open:
    """A stream that its reader does not close, because it is read again."""

    def __init__(self, stream: IO[bytes]) -> None:
        self.stream, self.closed = stream, False

    def read(self, size: int = -1) -> bytes:
        return self.stream.read(size)

    def close(self) -> None:
        """Leave it open."""
