"""The record as a Berkeley DB hash file, in the byte order of the host that wrote it.

    page 0   magic 0x061561 at 12, version at 16, size of a page at 20, encryption (u8) at 24,
             kind of page (u8) 8 at 25, flags (u8) at 26, last page at 32, last bucket at 72,
             and from 96 on 32 numbers: bucket b begins on page b + the one at ceil(log2(b + 1))
    page     next page (u32) at 16, items (u16) at 20, bytes of an overflow page (u16) at 22,
             kind (u8) at 25: 2 and 13 hold items, 7 holds a part of a large one from 26 on
    items    their places (u16) from 26 on, filled from the page's end: key, value, key, value
    item     u8 1: the bytes that follow; u8 3: a large one, first page at 4 and length at 8

A key is a 32-bit number; 0 holds the last number given, every other one package header.
Read as the record is since 2003: versions 8 and 9 of hash files, no duplicates.
"""

from __future__ import annotations

import struct
from collections.abc import Iterator
from itertools import pairwise
from pathlib import Path
from typing import BinaryIO, NoReturn

from velpin.errors import HostFileError

_MAGIC, _VERSIONS = 0x061561, (8, 9)
_HEAD = 26
_META, _ITEMS, _OVERFLOW = 8, (2, 13), 7
_HERE, _LARGE = 1, 3
_LARGEST = 1 << 28
"""No header may hold more bytes."""


def blobs(path: Path) -> Iterator[tuple[int, bytes]]:
    """Number and header of every package.

    Raises HostFileError where the file is damaged.
    """
    try:
        with path.open("rb") as file:
            pages = _Pages(path, file)
            found = {pages.number(key): value for key, value in pages.pairs()}
            found.pop(0, None)
            for number in sorted(found):
                yield number, pages.bytes_of(found[number])
    except OSError as problem:
        raise HostFileError(str(path), 0, problem.strerror or "cannot be read") from problem


class _Pages:
    def __init__(self, path: Path, file: BinaryIO) -> None:
        self.path, self.file = path, file
        head = file.read(512)
        if len(head) < 512:
            self.damaged("not of the form its name says")
        self.order = "<" if head[12:16] == _MAGIC.to_bytes(4, "little") else ">"
        magic, version, self.size = self.numbers("3I", head, 12)
        if magic != _MAGIC or head[25] != _META:
            self.damaged("not of the form its name says")
        if version not in _VERSIONS or head[24] or head[26]:
            raise HostFileError(
                str(path), 0,
                f"a hash file of version {version}"
                f"{' with encryption' * bool(head[24])}{' with checksums' * bool(head[26])}:"
                f" only versions {_VERSIONS[0]} and {_VERSIONS[1]} without either are known",
            )  # fmt: skip
        (self.last,) = self.numbers("I", head, 32)
        (self.last_bucket,) = self.numbers("I", head, 72)
        self.spares = self.numbers("32I", head, 96)
        if self.size not in (1 << bits for bits in range(9, 17)) or (
            (self.last + 1) * self.size > path.stat().st_size or self.last_bucket > self.last
        ):
            self.damaged("it is cut off")

    def damaged(self, what: str) -> NoReturn:
        raise HostFileError(str(self.path), 0, f"a damaged database: {what}")

    def numbers(self, layout: str, data: bytes, at: int) -> tuple[int, ...]:
        return struct.unpack_from(self.order + layout, data, at)

    def number(self, key: bytes) -> int:
        if len(key) != 4:
            self.damaged("a key that is no number")
        return self.numbers("I", key, 0)[0]

    def page(self, number: int) -> bytes:
        if not 0 < number <= self.last:
            self.damaged(f"page {number} is not there")
        self.file.seek(number * self.size)
        data = self.file.read(self.size)
        if len(data) < self.size:
            self.damaged("it is cut off")
        return data

    def pairs(self) -> Iterator[tuple[bytes, bytes]]:
        """Each key with its value as it stands on the page."""
        seen: set[int] = set()
        for bucket in range(self.last_bucket + 1):
            number = bucket + self.spares[min(bucket.bit_length(), 31)]
            while number:
                if number in seen:
                    self.damaged(f"page {number} is named twice")
                seen.add(number)
                page = self.page(number)
                if page[25] not in _ITEMS:
                    self.damaged(f"page {number} holds no items")
                yield from self._pairs_of(page)
                (number,) = self.numbers("I", page, 16)

    def _pairs_of(self, page: bytes) -> Iterator[tuple[bytes, bytes]]:
        (count,) = self.numbers("H", page, 20)
        if count % 2 or _HEAD + 2 * count > self.size:
            self.damaged("an odd number of items on a page")
        ends = (self.size, *self.numbers(f"{count}H", page, _HEAD))
        items = [page[start:end] for end, start in pairwise(ends)]
        for key, value in zip(items[::2], items[1::2], strict=True):
            if not key or key[0] != _HERE or not value:
                self.damaged("an item that is no package")
            yield key[1:], value

    def bytes_of(self, item: bytes) -> bytes:
        """The bytes of a value, from as many pages as it takes."""
        if item[0] == _HERE:
            return item[1:]
        if item[0] != _LARGE or len(item) != 12:
            self.damaged("an item that is no package")
        number, length = self.numbers("2I", item, 4)
        if length > min(_LARGEST, self.last * self.size):
            self.damaged("a package larger than the file")
        found = bytearray()
        while number and len(found) < length:
            page = self.page(number)
            (used,) = self.numbers("H", page, 22)
            if page[25] != _OVERFLOW or not 0 < used <= self.size - _HEAD:
                self.damaged(f"page {number} is no part of a package")
            found += page[_HEAD : _HEAD + used]
            (number,) = self.numbers("I", page, 16)
        if len(found) != length or number:
            self.damaged("a package is cut off")
        return bytes(found)
