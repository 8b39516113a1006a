"""The record in the form "ndb": slots that point to blobs; all numbers little endian, u32.

    file    "RpmP", version 0, generation, pages of slots, next number, 3 unused
    slot    "Slot", number of the package (0: free), place and length of its blob in 16 bytes
    blob    "BlbS", number, generation, length; the header; zeros;
            Adler-32 of all before it, length, "BlbE" - these at the end of its last 16 bytes

The first two slots are taken by the file's own head; pages are of 4,096 bytes. The index file
beside it only repeats what the blobs say.
"""

from __future__ import annotations

import struct
import zlib
from collections.abc import Iterator
from pathlib import Path
from typing import BinaryIO

from velpin.errors import HostFileError

MAGIC = b"RpmP"
_PAGE, _UNIT = 4096, 16
_FILE = struct.Struct("<4s7I")
_SLOT = struct.Struct("<4s3I")
_TAIL = struct.Struct("<II4s")


def blobs(path: Path) -> Iterator[tuple[int, bytes]]:
    """Number and header of every package.

    Raises HostFileError where the file is damaged or is written meanwhile.
    """
    try:
        with path.open("rb") as file:
            head = file.read(_FILE.size)
            for number, place, length in _slots(path, file, head):
                yield number, _blob(path, file, number, place, length)
            file.seek(0)
            if file.read(_FILE.size) != head:
                raise HostFileError(str(path), 0, "was written while it was read; try again")
    except OSError as problem:
        raise HostFileError(str(path), 0, problem.strerror or "cannot be read") from problem


def _slots(path: Path, file: BinaryIO, head: bytes) -> list[tuple[int, int, int]]:
    """Number of each package with place and length of its blob in bytes, by number."""
    if len(head) < _FILE.size or head[:4] != MAGIC:
        raise HostFileError(str(path), 0, "a damaged database: not of the form its name says")
    _, version, _, pages, *_ = _FILE.unpack(head)
    if version:
        raise HostFileError(str(path), 0, f"a database of version {version}: only 0 is known")
    size = path.stat().st_size
    if not 0 < pages * _PAGE <= size:
        raise HostFileError(str(path), 0, "a damaged database: its table of packages is cut off")
    table = file.read(pages * _PAGE - _FILE.size)
    found = {}
    for magic, number, place, length in _SLOT.iter_unpack(table):
        if magic != b"Slot":
            raise HostFileError(str(path), 0, "a damaged database: no table of packages")
        if not number:
            continue
        if number in found or (place + length) * _UNIT > size:
            raise HostFileError(str(path), 0, f"a damaged database: package {number} is cut off")
        found[number] = (number, place * _UNIT, length * _UNIT)
    return [found[number] for number in sorted(found)]


def _blob(path: Path, file: BinaryIO, number: int, place: int, length: int) -> bytes:
    file.seek(place)
    data = file.read(length)
    if len(data) == length >= _SLOT.size + _TAIL.size:
        magic, named, _, size = _SLOT.unpack_from(data)
        body = data[: -_TAIL.size]
        checksum, again, end = _TAIL.unpack_from(data, len(body))
        if (
            (magic, named, end, again) == (b"BlbS", number, b"BlbE", size)
            and size <= len(body) - _SLOT.size
            and zlib.adler32(body) == checksum
        ):
            return body[_SLOT.size : _SLOT.size + size]
    raise HostFileError(str(path), 0, f"a damaged database: package {number} cannot be read")
