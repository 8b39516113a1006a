"""A source's list: an archive of folders `NAME-VERSION-RELEASE`, each with a `desc` file.

Read as a stream, member by member; the headers are those of POSIX.1-1988 `ustar`, with the
long names of POSIX.1-2001 and of GNU. A general reader of such archives takes longer for a
list of 100,000 packages than all other work on it.

Observed rules: docs/how-hosts-choose/alpm.md.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from functools import partial
from pathlib import Path
from typing import NamedTuple
from zlib import adler32

from velpin.errors import HostFileError
from velpin.fetch.unpack import MOST_UNPACKED, size_of, unpacked
from velpin.files.text import whole_number
from velpin.forked import processors
from velpin.kinds.alpm.entry import AlpmLink, Desc, names_in, read_desc, read_facts, written
from velpin.model import package_names
from velpin.store.index import Batch, IndexNote, IndexPart, Notes, ParsedEntry

NAMES = package_names.NameGrammar("A-Za-z0-9@_+", "A-Za-z0-9@%._+-", "A-Za-z0-9.+~:_^%@-")
"""What packages and versions of this kind can be called."""
_SECTOR = 512
_DIGITS = 12
_IN_BLOCK = 64
_LARGE = 2 << 20
"""So large a packed list, in bytes, is read in two parts."""
_LARGEST = 16 << 20
"""The most one member may hold."""
_LEAST_BOUND = 32 << 20
"""So much any list may unpack to, however small it is."""
LINKS = {
    AlpmLink.REPLACES: "REPLACES",
    AlpmLink.GROUPS: "GROUPS",
    AlpmLink.DEPENDS: "DEPENDS",
    AlpmLink.CONFLICTS: "CONFLICTS",
}
"""Relations that are looked up from the other side, by kind of link."""


def parts_of(path: Path) -> list[IndexPart]:
    """The readers of one list, two where it is large."""
    count = 2 if size_of(path) > _LARGE and processors() > 1 else 1
    return [partial(_batches_of, path, share=Share(number, count)) for number in range(count)]


class Share(NamedTuple):
    """Which packages of a list a part takes in: in turn with the others, some at a time."""

    part: int = 0
    parts: int = 1

    def has(self, number: int) -> bool:
        """Whether the package with a number is of this part."""
        return number // _IN_BLOCK % self.parts == self.part


def _batches_of(path: Path, notes: Notes, share: Share) -> Iterator[Batch]:
    seen: set[str] = set()

    def packages() -> Iterator[tuple[str, str, Desc]]:
        for name, data in members(path, "/desc"):
            folder = name.rpartition("/")[0].removeprefix("./")
            package, version = name_and_version(folder)
            odd = (
                package_names.check(NAMES).why_odd(package, version)
                if version
                else (f"{folder}: no name, version and release")
            )
            if odd:
                if share.part == 0 and len(notes) < package_names.MOST_TOLD:
                    notes.append(IndexNote(0, odd))
            elif package not in seen:  # of two entries of one name the first counts (observed)
                mine = share.has(len(seen))
                seen.add(package)
                if mine:
                    yield package, version, read_desc(data.decode("utf-8", "replace"))

    yield from batches(packages())


def name_and_version(folder: str) -> tuple[str, str]:
    """Name and full version from a package's folder; both empty where it is none."""
    name, _, release = folder.rpartition("-")
    name, _, version = name.rpartition("-")
    return (name, f"{version}-{release}") if name and version and release else ("", "")


def batches(packages: Iterable[tuple[str, str, Desc]]) -> Iterator[Batch]:
    """What the index store keeps of some packages: name, version and facts of each."""
    held: list[tuple[str, str, Desc]] = []
    for package in packages:
        held.append(package)
        if len(held) == _IN_BLOCK:
            yield _batch(held)
            held = []
    if held:
        yield _batch(held)


def _batch(held: list[tuple[str, str, Desc]]) -> Batch:
    block = bytearray()
    entries: list[ParsedEntry] = []
    provides: list[tuple[str, int]] = []
    links: dict[str, list[tuple[str, int]]] = {kind: [] for kind in LINKS}
    for at, (name, version, desc) in enumerate(held):
        text = written(desc).encode()
        base = desc.one("BASE")
        entries.append(
            ParsedEntry(
                name, desc.one("ARCH"), version, base if base != name else "", "",
                len(block), len(text), desc.one("DESC"),
            )
        )  # fmt: skip
        block += text
        provides += [(name, at) for name in names_in(desc.fields.get("PROVIDES", []))]
        for kind, key in LINKS.items():
            values = desc.fields.get(key)
            if values:
                links[kind] += [(name, at) for name in names_in(values)]
    return Batch(bytes(block), entries, provides, [], links)


def desc_of(path: Path, folder: str) -> Desc:
    """The `desc` of the first package of a list in a folder so called, empty if there is none.

    Raises HostFileError where the list is damaged.
    """
    for name, data in members(path, f"{folder}/desc"):
        if name.removeprefix("./") == f"{folder}/desc":
            return read_desc(data.decode("utf-8", "replace"))
    return Desc({})


def links_of(text: bytes) -> dict[str, list[str]]:
    """The names that a package's relations mention, by kind of link, from the text that is kept
    of it."""
    facts = read_facts(text)
    return {
        AlpmLink.REPLACES: [relation.name for relation in facts.replaces],
        AlpmLink.GROUPS: list(facts.groups),
        AlpmLink.DEPENDS: [relation.name for relation in facts.depends],
        AlpmLink.CONFLICTS: [relation.name for relation in facts.conflicts],
    }


# -- the archive itself --------------------------------------------------------------------


def members(path: Path, ending: str) -> Iterator[tuple[str, bytes]]:
    """Name and bytes of every plain file of an archive whose name ends so.

    Raises HostFileError where it is damaged or cut off, OSError where it cannot be read.
    """
    stream = _Stream(path)
    given: Mapping[str, str] = {}
    long_name = ""
    while True:
        head = stream.take(_SECTOR)
        if len(head) < _SECTOR or not head.rstrip(b"\0"):
            if head and len(head) < _SECTOR:
                raise HostFileError(str(path), 0, "damaged archive: it ends too early")
            stream.drain()
            return
        _check(head, path)
        size = _number(head[124:136])
        if size > _LARGEST:
            raise HostFileError(str(path), 0, f"damaged archive: a member of {size} bytes")
        kind = head[156:157]
        name = long_name or given.get("path") or _name(head)
        if kind in (b"x", b"L"):
            data = stream.filled(size)
            if kind == b"L":
                long_name = data.rstrip(b"\0").decode("utf-8", "replace")
            else:
                given = _records(data)
            continue
        given, long_name = {}, ""
        if kind in (b"0", b"\0", b"7") and name.endswith(ending):
            yield name, stream.filled(size)
        else:
            stream.filled(size)


def _check(head: bytes, path: Path) -> None:
    """The checksum is the sum of a header's bytes, its own place taken for blanks; the low half
    of an Adler-32 is one more than that, by 65521, and far sooner had (RFC 1950, section 9)."""
    told = _number(head[148:156])
    found = adler32(head[156:], adler32(b" " * 8, adler32(head[:148]))) & 0xFFFF
    if not 0 <= told <= _SECTOR * 255 or (told + 1) % 65521 != found:
        raise HostFileError(str(path), 0, "damaged archive: a header's checksum is wrong")


def _name(head: bytes) -> str:
    name = head[:100].partition(b"\0")[0]
    if head[257:263] == b"ustar\0" and head[345]:
        name = head[345:500].partition(b"\0")[0] + b"/" + name
    return name.decode("utf-8", "replace")


def _number(text: bytes) -> int:
    if text[:1] == b"\x80":
        return int.from_bytes(text[1:], "big")
    try:
        return int(text.partition(b"\0")[0].strip() or b"0", 8)
    except ValueError:
        return -1


def _records(data: bytes) -> dict[str, str]:
    """The records `LENGTH KEY=VALUE` of an extended header."""
    found = {}
    while data:
        told = data[:_DIGITS].partition(b" ")[0]
        length = whole_number(told.decode("ascii", "replace"))
        if not length:
            break
        record, data = data[len(told) + 1 : length - 1], data[length:]
        key, _, value = record.decode("utf-8", "replace").partition("=")
        found[key] = value
    return found


class _Stream:
    """Takes bytes from a compressed file, so many at a time."""

    def __init__(self, path: Path) -> None:
        self._path = path
        self._pieces = self._bounded(max(size_of(path) * MOST_UNPACKED, _LEAST_BOUND))
        self._held = b""
        self._at = 0

    def _bounded(self, most: int) -> Iterator[bytes]:
        size = 0
        for piece in unpacked(self._path):
            size += len(piece)
            if size > most:
                raise HostFileError(
                    str(self._path), 0, "damaged archive: it unpacks to far more than a list would"
                )
            yield piece

    def drain(self) -> None:
        """Read what is left, so that what is cut off or changed there is seen too."""
        for _ in self._pieces:
            pass

    def take(self, size: int) -> bytes:
        """So many bytes, fewer at the end."""
        end = self._at + size
        while end > len(self._held):
            piece = next(self._pieces, b"")
            if not piece:
                break
            self._held = self._held[self._at :] + piece
            self._at, end = 0, size
        found = self._held[self._at : end]
        self._at += len(found)
        return found

    def filled(self, size: int) -> bytes:
        """A member's bytes; what fills up its last sector is passed over.

        Raises HostFileError where the archive ends before."""
        if size < 0:
            raise HostFileError(str(self._path), 0, "damaged archive: a size that is none")
        whole = -(-size // _SECTOR) * _SECTOR
        data = self.take(whole)
        if len(data) < whole:
            raise HostFileError(str(self._path), 0, "damaged archive: it ends too early")
        return data[:size]
