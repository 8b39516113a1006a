"""Reading compressed index files as streams of plain bytes.

Which compression a file has is told by its first bytes, never by its name.
"""

from __future__ import annotations

import contextlib
import io
import os
import zlib
from collections.abc import Iterator
from pathlib import Path
from typing import IO, Any, Protocol

from velpin.errors import HostFileError

EXTENSIONS = (".xz", ".gz", ".bz2", ".zst", ".lz4", ".lzma", "")
"""Endings of index files that can be read, the empty one for plain text."""

MOST_UNPACKED = 200
"""How many times its packed size an index may have unpacked, where that is not promised."""
_MOST_EMPTY = 256
_CHUNK = 1 << 20
_PIECE = 4 << 20
_MAGIC = (
    (b"\x1f\x8b", "gz"),
    (b"\xfd7zXZ\x00", "xz"),
    (b"BZh", "bz2"),
    (b"\x28\xb5\x2f\xfd", "zst"),
    (b"\x04\x22\x4d\x18", "lz4"),
    (b"\x5d\x00\x00", "lzma"),
)


class _Unpacker(Protocol):
    """What every decompressor offers: some output at a time, however much one input holds."""

    @property
    def eof(self) -> bool: ...
    @property
    def needs_input(self) -> bool: ...
    @property
    def unused_data(self) -> bytes: ...

    def decompress(self, data: bytes, max_length: int = -1, /) -> bytes: ...


class _Gzip:
    """The standard gzip reader behind the same interface as the others."""

    def __init__(self) -> None:
        self._reader = zlib.decompressobj(wbits=31)

    @property
    def eof(self) -> bool:
        return self._reader.eof

    @property
    def needs_input(self) -> bool:
        return not self._reader.unconsumed_tail

    @property
    def unused_data(self) -> bytes:
        return self._reader.unused_data

    def decompress(self, data: bytes, max_length: int = -1, /) -> bytes:
        return self._reader.decompress(self._reader.unconsumed_tail + data, max(0, max_length))


def compression_of(head: bytes) -> str:
    """Name of the compression whose mark a file begins with, empty for plain bytes."""
    return next((name for magic, name in _MAGIC if head.startswith(magic)), "")


_GIVEN: dict[str, int] = {}
"""Open files by their paths, for a process that may not open them itself."""


@contextlib.contextmanager
def given(path: str, handle: int) -> Iterator[None]:
    """Meanwhile a path means a file that is open."""
    _GIVEN[path] = handle
    try:
        yield
    finally:
        _GIVEN.pop(path, None)


class _Given(io.RawIOBase):
    """An open file read from its beginning, whatever others do with the same handle."""

    def __init__(self, handle: int) -> None:
        self._handle, self._at = handle, 0

    def readable(self) -> bool:
        return True

    def seekable(self) -> bool:
        return True

    def seek(self, offset: int, whence: int = os.SEEK_SET) -> int:
        base = {os.SEEK_SET: 0, os.SEEK_CUR: self._at, os.SEEK_END: size_of(self._handle)}
        self._at = base[whence] + offset
        return self._at

    def readinto(self, buffer: Any) -> int:
        count = os.preadv(self._handle, [buffer], self._at)
        self._at += count
        return count


def open_input(path: Path) -> IO[bytes]:
    """A file to be read, by the handle that was given for it where there is one."""
    handle = _GIVEN.get(str(path))
    return path.open("rb") if handle is None else io.BufferedReader(_Given(handle))


def size_of(file: Path | int) -> int:
    """The size of a file to be read, in bytes."""
    opened = _GIVEN.get(str(file), file) if isinstance(file, Path) else file
    return os.stat(opened).st_size


def unpacked(path: Path) -> Iterator[bytes]:
    """The plain bytes of a file, piece by piece.

    Raises HostFileError where it is cut off or corrupted, OSError where it cannot be read.
    """
    with open_input(path) as file:
        head = file.read(8)
        file.seek(0)
        kind = compression_of(head)
        if not kind:
            yield from iter(lambda: file.read(_CHUNK), b"")
            return
        try:
            yield from _members(file, kind)
        except (EOFError, OSError, ValueError, RuntimeError, MemoryError, zlib.error) as problem:
            raise HostFileError(str(path), 0, f"damaged {kind} file: {problem}") from problem
        except Exception as problem:
            if type(problem).__module__.partition(".")[0] in ("lzma", "_lzma", "backports", "zstd"):
                raise HostFileError(str(path), 0, f"damaged {kind} file: {problem}") from problem
            raise


def _members(file: IO[bytes], kind: str) -> Iterator[bytes]:
    """All members of a compressed file; a file that ends inside one is damaged."""
    rest, empty = file.read(_CHUNK), 0
    while rest.strip(b"\0"):
        unpacker = _new(kind)
        size = 0
        for piece in _member(file, unpacker, rest):
            size += len(piece)
            yield piece
        empty = 0 if size else empty + 1
        if empty > _MOST_EMPTY:
            raise ValueError("it is made of nothing but empty members")
        rest = unpacker.unused_data or file.read(_CHUNK)


def _member(file: IO[bytes], unpacker: _Unpacker, data: bytes) -> Iterator[bytes]:
    """One member, a bounded piece at a time, so that no input can fill the memory."""
    while True:
        piece = unpacker.decompress(data, _PIECE)
        if piece:
            yield piece
        if unpacker.eof:
            return
        data = b""
        if unpacker.needs_input:
            data = file.read(_CHUNK)
            if not data and not piece:
                raise EOFError("it ends too early")


def _new(kind: str) -> _Unpacker:
    if kind == "gz":
        return _Gzip()
    if kind in ("xz", "lzma"):
        import lzma

        return lzma.LZMADecompressor()
    if kind == "bz2":
        import bz2

        return bz2.BZ2Decompressor()
    if kind == "lz4":
        import lz4.frame

        return lz4.frame.LZ4FrameDecompressor()  # type: ignore[no-any-return]
    return _zstd()


def _zstd() -> _Unpacker:
    try:
        from compression import zstd  # type: ignore[import-not-found,unused-ignore]
    except ImportError:
        from backports import zstd
    return zstd.ZstdDecompressor()  # type: ignore[no-any-return,unused-ignore]


def digest_of(path: Path) -> str:
    """The SHA-256 of a file's bytes, empty where it cannot be read."""
    import hashlib

    try:
        with open_input(path) as file:
            told = hashlib.sha256()
            for piece in iter(lambda: file.read(_CHUNK), b""):
                told.update(piece)
            return told.hexdigest()
    except OSError:
        return ""


def measured(path: Path, digest: str, most: int) -> tuple[int, str]:
    """How many bytes a file unpacks to, and their digest by the name of its kind (empty for
    none); what unpacks to more than `most` is not read on.

    Raises HostFileError where it is damaged.
    """
    import hashlib

    size, told = 0, hashlib.new(digest) if digest else None
    for piece in unpacked(path):
        size += len(piece)
        if size > most:
            break
        if told:
            told.update(piece)
    return size, told.hexdigest() if told else ""
