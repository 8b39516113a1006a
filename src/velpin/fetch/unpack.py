"""Reading compressed index files as streams of plain bytes.

Which compression a file has is told by its first bytes, never by its name.
"""

from __future__ import annotations

import zlib
from collections.abc import Iterator
from pathlib import Path
from typing import IO, Protocol

from velpin.errors import HostFileError

EXTENSIONS = (".xz", ".gz", ".bz2", ".zst", ".lz4", ".lzma", "")
"""Endings of index files that can be read, the empty one for plain text."""

_CHUNK = 1 << 20
_MAGIC = (
    (b"\x1f\x8b", "gz"),
    (b"\xfd7zXZ\x00", "xz"),
    (b"BZh", "bz2"),
    (b"\x28\xb5\x2f\xfd", "zst"),
    (b"\x04\x22\x4d\x18", "lz4"),
    (b"\x5d\x00\x00", "lzma"),
)


class _Unpacker(Protocol):
    def decompress(self, data: bytes, /) -> bytes: ...


def compression_of(head: bytes) -> str:
    """Name of the compression whose mark a file begins with, empty for plain bytes."""
    return next((name for magic, name in _MAGIC if head.startswith(magic)), "")


def unpacked(path: Path) -> Iterator[bytes]:
    """The plain bytes of a file, piece by piece.

    Raises HostFileError where it is cut off or corrupted, OSError where it cannot be read.
    """
    with path.open("rb") as file:
        head = file.read(8)
        file.seek(0)
        kind = compression_of(head)
        if not kind:
            yield from iter(lambda: file.read(_CHUNK), b"")
            return
        try:
            yield from _members(file, kind)
        except (EOFError, OSError, ValueError, RuntimeError, zlib.error) as problem:
            raise HostFileError(str(path), 0, f"damaged {kind} file: {problem}") from problem
        except Exception as problem:
            if type(problem).__module__.partition(".")[0] in ("lzma", "_lzma", "backports", "zstd"):
                raise HostFileError(str(path), 0, f"damaged {kind} file: {problem}") from problem
            raise


def _members(file: IO[bytes], kind: str) -> Iterator[bytes]:
    """All members of a compressed file; a file that ends inside one is damaged."""
    unpacker = _new(kind)
    fresh, rest = True, b""
    while True:
        data = rest or file.read(_CHUNK)
        rest = b""
        if not data:
            if not fresh:
                raise EOFError("it ends too early")
            return
        if fresh and not data.strip(b"\0"):
            continue
        fresh = False
        piece = unpacker.decompress(data)
        if piece:
            yield piece
        if getattr(unpacker, "eof", False):
            rest = getattr(unpacker, "unused_data", b"") or b""
            unpacker, fresh = _new(kind), True


def _new(kind: str) -> _Unpacker:
    if kind == "gz":
        return zlib.decompressobj(wbits=31)
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
