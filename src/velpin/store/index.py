"""One parsed index: a source's list of packages, ready to be asked, in one file.

Made once from an index file of any format and never changed afterwards; when the file it
was made from changes, it is rebuilt beside it and put in its place by one rename.

    blocks      the full text of some entries each, compressed; read only where it is needed
    rows        a sorted line an entry, tab-separated, with what choosing needs (see `Row`)
    provides    a sorted line for each provided name: name, provider's name, provider's id
    built       a sorted line for each name that its source package does not have itself:
                source package, name
    links       for each kind of link a reader gives, sorted lines as those of `provides`
    facts       one line of JSON: where these lie, the file this was made from, and a checksum of
                each 16 KiB before them; its own checksum and length end the file

Whatever is read of the file is first held against its checksum, once: a damaged file is removed,
and rebuilt by the next command. A large index is written in several such parts, one after the
other. The file is mapped, not loaded: a question for one name touches a few pages of it.
"""

from __future__ import annotations

import binascii
import contextlib
import gc
import json
import mmap
import os
import re
import sys
import zlib
from array import array
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence, Set
from functools import partial
from heapq import merge
from importlib import import_module
from itertools import chain
from pathlib import Path
from types import MappingProxyType
from typing import IO, TYPE_CHECKING, Any, Literal, NamedTuple

from velpin.errors import CannotWrite, DamagedIndex, HostFileError, StoreError
from velpin.files import disk
from velpin.forked import ForkedTask

if TYPE_CHECKING:
    from velpin.apart import Handles

SCHEMA = 12
_TAIL = 12
"""Bytes behind the facts: their checksum, 4, and their length, 8."""
_LONGEST_LINE = 1 << 16
_CHUNK_BITS = 14
"""A look-up touches few lines of a chunk, so a small one costs less to check."""
_CHUNK = 1 << _CHUNK_BITS
_SUMMARY = 9
"""The column of the summary in a row's line, the last one."""
_ACCELERATION = 4
"""A little less small for a good deal faster (see the lz4 format)."""
_PART = 10_000_000
_SORTED = ("rows", "provides", "built")
"""The sorted lines of a part, by kind."""
_COLUMNS = re.compile(rb"([^\t\n]*)\t(\d+)\t([^\t]*)\t([^\t]*)\t[^\n]*\n")
_KEPT = 256
"""Blocks kept unpacked, about 60 kB each."""


class Row(NamedTuple):
    """One entry as choosing sees it; ids grow in the order of the index."""

    name: str
    id: int
    arch: str
    version: str
    built_from: str
    """Name of the source package it was built from, empty where it is the same."""
    state: str
    """For the host's own record of packages: the recorded state; else empty."""
    block: int
    start: int
    length: int
    summary: str


class Stamp(NamedTuple):
    """What tells whether the file an index was made from has changed."""

    path: str
    size: int
    mtime_ns: int

    @classmethod
    def of(cls, path: Path) -> Stamp:
        """The stamp of a file as it is now; OSError where it cannot be seen."""
        found = path.stat()
        return cls(str(path), found.st_size, found.st_mtime_ns)


class ParsedEntry(NamedTuple):
    """What a reader says of one entry; start and length count bytes in its block.

    No text may hold a tab or a newline.
    """

    name: str
    arch: str
    version: str
    built_from: str
    state: str
    start: int
    length: int
    summary: str


IndexLine = tuple[bytes, int, int, bytes, bytes, int]
"""Name, number of the index, id in it, architecture, version, place of the line in it."""

NameRange = tuple[bytes, bytes | None]
"""Names from the first on and before the second, in byte order; None is the end."""

Links = Mapping[str, list[tuple[str, int]]]


class Batch(NamedTuple):
    """Some consecutive entries: their texts in one block, and what was read from each."""

    block: bytes
    entries: list[ParsedEntry]
    provides: list[tuple[str, int]]
    """Provided name, and which of this batch's entries provides it."""
    marked: list[str]
    """What stands out: names of packages that no host should be without, or the identifiers of
    keys that the host has taken."""
    links: Links = MappingProxyType({})
    """By kind of link: another package's name, and which of this batch's entries says it."""


NoteCode = Literal["", "unreadable", "not-as-promised"]


class IndexNote(NamedTuple):
    """Something in an index that was not understood; line 0 is the file as a whole."""

    line: int
    text: str
    code: NoteCode = ""
    """What follows from it: `unreadable`, the installer then reads nothing at all;
    `not-as-promised`, the file is not what its release file promises."""


Notes = list[IndexNote]
"""Lines that were not understood, and what is wrong there."""

IndexPart = Callable[[Notes], Iterable[Batch]]
"""Reads a part of an index, in order; what it does not understand it appends to the notes."""


class Index:
    """A parsed index, open for questions."""

    is_kept = True
    """Whether what is worked out from it may be remembered."""

    def __init__(self, path: Path) -> None:
        self.path = path
        try:
            handle = os.open(path, os.O_RDONLY | os.O_NOFOLLOW | os.O_CLOEXEC)
            try:
                self._map = mmap.mmap(handle, 0, access=mmap.ACCESS_READ)
            finally:
                os.close(handle)
            size = int.from_bytes(self._map[-8:], "little")
            tail = self._map[-_TAIL - size : -_TAIL]
            if len(tail) != size or zlib.crc32(tail) != int.from_bytes(self._map[-12:-8], "little"):
                raise ValueError("is damaged")
            facts: dict[str, Any] = json.loads(tail)
            self.stamp = Stamp(*facts["stamp"])
            self.schema: int = facts["schema"]
            self._parts: list[dict[str, Any]] = facts["parts"]
            self._sums = _numbers(facts["sums"])
            self._places: dict[int, array[int]] = {}
            self._end = len(self._map) - _TAIL - size
            self._sound = bytearray(len(self._sums))
            self._steps: dict[int, tuple[int, int, bytes]] = {}
            self._blocks: dict[int, bytes] = {}
            self._known: dict[str, list[str]] = {}
        except (OSError, ValueError, LookupError, TypeError) as problem:
            raise StoreError(f"{path}: {problem}", "remove it; it is rebuilt") from problem

    def _check(self, first: int, last: int) -> None:
        """Hold what lies between two places against its checksums, unless that was done."""
        for at in range(first >> _CHUNK_BITS, (max(last, first + 1) + _CHUNK - 1) >> _CHUNK_BITS):
            if not self._sound[at]:
                start = at << _CHUNK_BITS
                data = self._map[start : min(start + _CHUNK, self._end)]
                if zlib.crc32(data) != self._sums[at]:
                    with contextlib.suppress(OSError):
                        self.path.unlink()
                    raise DamagedIndex(
                        f"{self.path} was damaged, and is removed", "run the command again"
                    )
                self._sound[at] = 1

    def _region(self, part: dict[str, Any], kind: str) -> tuple[int, int]:
        """Where the lines of a kind lie, all of them held against their checksums."""
        first, last = part.get(kind, (0, 0))
        if last > first:
            self._check(first, last)
        return first, last

    @property
    def count(self) -> int:
        """How many entries it holds."""
        return sum(part["count"] for part in self._parts)

    def all_linked(self, kind: str) -> list[str]:
        """Every name that some entry has a link of a kind to, once, in byte order."""
        return self._keys(kind)

    @property
    def notes(self) -> Notes:
        """Lines that were not understood when it was read, and what is wrong there."""
        return [IndexNote(*note) for part in self._parts for note in part["notes"]]

    @property
    def marked(self) -> set[str]:
        """What stands out in it: names of packages that no host should be without, or the
        identifiers of keys that the host has taken."""
        return {name for part in self._parts for name in part["marked"]}

    def rows(self, name: str) -> list[Row]:
        """All entries of a name, in the order of the index."""
        found = [_row(line) for line in self._lines("rows", name)]
        return sorted(found, key=lambda row: row.id)

    def all_rows(self) -> Iterator[Row]:
        """Every entry, in no order to rely on."""
        for part in self._parts:
            first, last = self._region(part, "rows")
            while first < last:
                end = self._map.find(b"\n", first, last)
                yield _row(self._map[first:end])
                first = end + 1

    def columns(
        self, mark: int, names: Set[bytes] | None = None, within: NameRange = (b"", None)
    ) -> Iterator[IndexLine]:
        """Name, `mark`, id, architecture, version and place of every entry, or of those of some
        names, in byte order of names; `row_at` gives the row of a place."""
        parts = [self._columns_of(part, mark, names, within) for part in self._parts]
        return merge(*parts) if len(parts) > 1 else iter(*parts)

    def _columns_of(
        self, part: dict[str, Any], mark: int, names: Set[bytes] | None, within: NameRange
    ) -> Iterator[IndexLine]:
        first, last = self._region(part, "rows")
        low, high = within
        if high is not None:
            last, _ = self._first_line(part, high)
        if low:
            first, _ = self._first_line(part, low)
        for found in _COLUMNS.finditer(self._map, first, last):
            if names is None or found[1] in names:
                name, number, arch, version = found.groups()
                yield name, mark, int(number), arch, version, found.start()

    def row_at(self, place: int) -> Row:
        """The row at a place that `columns` gave."""
        return _row(self._map[place : self._map.find(b"\n", place)])

    def matching(self, glob: str) -> list[Row]:
        """Entries whose name fits a glob (`* ? [..]`), by name."""
        import fnmatch

        fits = re.compile(fnmatch.translate(glob)).match
        return [row for row in self.all_rows() if fits(row.name)]

    def speaking_of(self, words: Sequence[str]) -> Iterator[tuple[str, str]]:
        """Name and summary of entries that hold all words in either, letter case ignored."""
        wanted = [word.lower().encode("utf-8", "surrogatepass") for word in words]
        for part in self._parts:
            first, last = self._region(part, "rows")
            folded = self._map[first:last].lower()
            rarest = min(wanted, key=folded.count)
            at = folded.find(rarest)
            while at >= 0:
                start, end = folded.rfind(b"\n", 0, at) + 1, folded.find(b"\n", at)
                line = folded[start:end]
                name, summary = line.find(b"\t"), line.rfind(b"\t")
                told = line[:name] + line[summary:]
                for word in wanted:
                    if word not in told:
                        break
                else:
                    line = self._map[first + start : first + end]
                    yield line[:name].decode(), line[summary + 1 :].decode()
                at = folded.find(rarest, end)

    def providers(self, name: str) -> list[Row]:
        """Entries that provide a name, in the order of the index."""
        return self._rows_of(self._lines("provides", name))

    def linked(self, kind: str, name: str) -> list[Row]:
        """Entries with a link of a kind to a name, in the order of the index."""
        return self._rows_of(self._lines(kind, name))

    def link_table(self, kind: str) -> dict[str, list[tuple[str, int]]]:
        """All links of a kind at once: by name the owners' names and ids."""
        found: dict[str, list[tuple[str, int]]] = {}
        for part in self._parts:
            first, last = self._region(part, kind)
            for line in self._map[first:last].decode().split("\n")[:-1]:
                name, owner, position = line.split("\t")
                found.setdefault(name, []).append((owner, int(position)))
        return found

    def _rows_of(self, lines: Iterable[bytes]) -> list[Row]:
        found: dict[int, Row] = {}
        for line in lines:
            _, owner, position = line.decode().split("\t")
            for row in self.rows(owner):
                if row.id == int(position):
                    found[row.id] = row
        return [found[position] for position in sorted(found)]

    def built_from(self, source: str) -> list[str]:
        """Names of entries that a source package of another name was built into."""
        return [line.decode().partition("\t")[2] for line in self._lines("built", source)]

    def names(self) -> list[str]:
        """Every package name, once, in byte order."""
        return self._keys("rows")

    def names_as_bytes(self) -> set[bytes]:
        """Every package name as it stands in the index."""
        return self._keys_as_bytes("rows")

    def beginning_with(self, start: str, most: int) -> Iterator[tuple[str, str]]:
        """Names that begin with a text, each once with a summary, in byte order; at most so many
        of each part of the index."""
        wanted = start.encode("utf-8", "surrogatepass")
        for part in self._parts:
            low, last = self._first_line(part, wanted)
            count, before = 0, b""
            while low < last and count < most:
                end = self._map.find(b"\n", low, last)
                self._check(low, end)
                line = self._map[low:end]
                if not line.startswith(wanted):
                    break
                name = line[: line.find(b"\t")]
                if name != before:
                    yield name.decode(), line[line.rfind(b"\t") + 1 :].decode()
                    count, before = count + 1, name
                low = end + 1

    def _first_line(self, part: dict[str, Any], wanted: bytes) -> tuple[int, int]:
        """Where the first row of a part that is not before a text begins, and where rows end."""
        first, last = part.get("rows", (0, 0))
        low, high = first, last
        while low < high:
            half = (low + high) // 2
            middle, end, line = self._steps.get(half) or self._step(half, first, last)
            if line < wanted:
                low = end
            else:
                high = middle
        return low, last

    def provided_names(self) -> list[str]:
        """Every name that some entry provides, once, in byte order."""
        return self._keys("provides")

    def provided_as_bytes(self) -> set[bytes]:
        """The same as they stand in the index."""
        return self._keys_as_bytes("provides")

    def text(self, row: Row) -> bytes:
        """The whole text of one entry."""
        block = self._blocks.get(row.block)
        if block is None:
            if len(self._blocks) >= _KEPT:
                del self._blocks[next(iter(self._blocks))]
            part, number = divmod(row.block, _PART)
            places = self._places_of(part)
            block = self._unpacked(places[2 * number], places[2 * number + 1])
            self._blocks[row.block] = block
        return block[row.start : row.start + row.length]

    def blocks(self) -> Iterator[bytes]:
        """The texts of all entries, some at a time, in the order of the index."""
        for part in range(len(self._parts)):
            places = iter(self._places_of(part))
            for at, length in zip(places, places, strict=True):
                yield self._unpacked(at, length)

    def _places_of(self, part: int) -> array[int]:
        """Where each block of a part begins, and its length, in turn."""
        found = self._places.get(part)
        if found is None:
            found = self._places[part] = _numbers(self._parts[part]["blocks"])
        return found

    def _unpacked(self, at: int, length: int) -> bytes:
        import lz4.block

        self._check(at, at + length)
        text: bytes = lz4.block.decompress(self._map[at : at + length])
        return text

    def _keys(self, kind: str) -> list[str]:
        if kind not in self._known:
            self._known[kind] = [key.decode() for key in sorted(self._keys_as_bytes(kind))]
        return self._known[kind]

    def _keys_as_bytes(self, kind: str) -> set[bytes]:
        found: set[bytes] = set()
        for part in self._parts:
            first, last = self._region(part, kind)
            found.update(re.findall(rb"(?m)^[^\t\n]+", self._map[first:last]))
        return found

    def _lines(self, kind: str, key: str) -> Iterator[bytes]:
        """Lines that begin with a key, by bisection of each sorted part."""
        wanted = key.encode("utf-8", "surrogatepass") + b"\t"
        sound, steps = self._sound, self._steps
        for part in self._parts:
            low, last = part.get(kind, (0, 0))
            first, high = low, last
            while low < high:
                half = (low + high) // 2
                middle, end, line = steps.get(half) or self._step(half, first, last)
                if line < wanted:
                    low = end
                else:
                    high = middle
            while low < last:
                end = self._map.find(b"\n", low, last)
                end = end if end >= 0 else last - 1
                if not (sound[low >> _CHUNK_BITS] and sound[end >> _CHUNK_BITS]) or (
                    end - low > _CHUNK
                ):
                    self._check(low, end)
                line = self._map[low:end]
                if not line.startswith(wanted):
                    break
                yield line
                low = end + 1

    def _step(self, half: int, first: int, last: int) -> tuple[int, int, bytes]:
        """The line around a place of a sorted part, kept: all searches begin alike."""
        middle = self._map.rfind(b"\n", first, half) + 1 or first
        end = self._map.find(b"\n", middle, last) + 1 or last  # a lost line end is damage
        seen = self._sound[middle >> _CHUNK_BITS] and self._sound[end - 1 >> _CHUNK_BITS]
        if not seen or end - middle > _CHUNK:
            self._check(max(middle - 1, 0), max(half, end))
        found = self._steps[half] = middle, end, self._map[middle:end]
        return found


def _row(line: bytes) -> Row:
    name, number, arch, version, origin, state, block, start, length, summary = line.decode().split(
        "\t", _SUMMARY
    )
    return Row(
        name, int(number), arch, version, origin, state, int(block), int(start), int(length),
        summary,
    )  # fmt: skip


# -- writing -----------------------------------------------------------------------------


Parts = Sequence[IndexPart] | Callable[[], Sequence[IndexPart]]
"""The readers of an index, or what makes them where it is read."""


def write_index(
    path: Path, stamp: Stamp, parts: Parts, source: Path | None = None, *, is_apart: bool = False
) -> None:
    """Write a parsed index from what the readers of its parts yield, whole or not at all.

    With `is_apart` that is done by a process without rights, which is given `source`, the file that
    is read, open. Errors of a reader pass through; HostFileError where it takes too much,
    CannotWrite where there is no right or no room. A half-written file is removed.
    """
    part = disk.temporary_for(path)
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        with contextlib.ExitStack() as files:
            out = files.enter_context(disk.open_new(part))
            if not is_apart or source is None:
                _write_parts(out, stamp, parts, _spare(path.parent))
            else:
                _write_apart(out, stamp, parts, source, files, path.parent)
        Index(part)  # what a process without rights wrote is read before it counts
        os.replace(part, path)
    except OSError as problem:
        raise CannotWrite(f"{path}: {problem.strerror}") from problem
    finally:
        with contextlib.suppress(OSError):
            part.unlink(missing_ok=True)


def _write_apart(
    out: IO[bytes], stamp: Stamp, parts: Parts, source: Path, files: contextlib.ExitStack,
    folder: Path,
) -> None:  # fmt: skip
    from velpin import apart

    given = {"out": out.fileno()}
    try:
        given["source"] = files.enter_context(source.open("rb")).fileno()
    except OSError as problem:
        raise HostFileError(str(source), 0, problem.strerror or "cannot be read") from problem
    for number in range(_MOST_HELPERS):
        given[f"spare {number}"] = files.enter_context(_unnamed(folder)).fileno()
    try:
        apart.run(partial(_written_apart, stamp, parts, str(source)), given, network=False)
    except apart.Stopped:
        raise HostFileError(
            str(source), 0, "reading it was stopped: it takes more time or memory than it may"
        ) from None


def _written_apart(stamp: Stamp, parts: Parts, source: str, handles: Handles) -> None:
    """What the process without rights does."""
    from velpin.fetch import unpack

    spare = (
        os.fdopen(os.dup(handle), "r+b")
        for name, handle in handles.files.items() if name.startswith("spare")
    )  # fmt: skip
    with (
        unpack.given(source, handles.files["source"]),
        os.fdopen(os.dup(handles.files["out"]), "wb") as out,
    ):
        _write_parts(out, stamp, parts, spare)


_MOST_HELPERS = 8


def _unnamed(folder: Path) -> IO[bytes]:
    """A file without a name, in a folder where there is room for it."""
    import tempfile

    return tempfile.TemporaryFile(dir=folder)


def _spare(folder: Path) -> Iterator[IO[bytes]]:
    while True:
        yield _unnamed(folder)


def _write_parts(file: IO[bytes], stamp: Stamp, parts: Parts, spare: Iterator[IO[bytes]]) -> None:
    """Write a whole index: the first part is read here, each further one in a process of its own,
    by way of a spare file."""
    for name in ("lz4.block", "pickle"):  # once, before any helper is forked
        import_module(name)
    collecting = gc.isenabled()
    gc.disable()  # hundreds of thousands of small values, none of them in a cycle
    helpers: list[_Helper] = []
    try:
        first, *others = parts() if callable(parts) else parts
        for number, read in enumerate(others, 1):
            helpers.append(_Helper(next(spare), read, number))
        found = [_read_part(file, first, 0)]
        found += [helper.join(file) for helper in helpers]
        file.flush()
        sums = _as_text(_checksums(file))
        for each in found:
            each["blocks"] = _as_text(chain.from_iterable(each["blocks"]))
        _write_tail(file, {"schema": SCHEMA, "stamp": stamp, "parts": found, "sums": sums})
        file.flush()
    finally:
        if collecting:
            gc.enable()
        for helper in helpers:
            helper.clear()


class _Helper:
    """Reads one part in a forked process; what it found comes back by way of a file."""

    def __init__(self, file: IO[bytes], read: IndexPart, number: int) -> None:
        self._file = file

        def work() -> dict[str, Any]:
            found = _read_part(file, read, number)
            file.flush()
            return found

        self._work = ForkedTask(work, always=True)

    def join(self, file: IO[bytes]) -> dict[str, Any]:
        """Wait, copy what was found into `file`; the reader's own error is raised here."""
        import shutil

        part = self._work.result()
        base = file.tell()
        self._file.seek(0)
        shutil.copyfileobj(self._file, file)
        return _moved(part, base)

    def clear(self) -> None:
        """End the process if it still runs."""
        self._work.stop()
        self._file.close()


def _moved(part: dict[str, Any], base: int) -> dict[str, Any]:
    """The facts of a part that now begins at `base` of a larger file."""
    return {
        **part,
        "blocks": [(base + first, length) for first, length in part["blocks"]],
        **{kind: [base + at for at in part[kind]] for kind in (*_SORTED, *part["links"])},
    }


def _read_part(file: IO[bytes], read: IndexPart, part: int) -> dict[str, Any]:
    import lz4.block

    notes: Notes = []
    lines: list[str] = []
    provides: list[str] = []
    built: list[str] = []
    blocks: list[tuple[int, int]] = []
    marked: list[str] = []
    links: dict[str, list[str]] = {}
    base = first = part * _PART
    for number, batch in enumerate(read(notes), first):
        data = lz4.block.compress(batch.block, mode="fast", acceleration=_ACCELERATION)
        blocks.append((file.tell(), len(data)))
        file.write(data)
        _take_links(batch, base, links)
        _take(batch, number, base, lines, provides, built)
        marked += batch.marked
        base += len(batch.entries)
    count = len(lines)
    lines = _whole(lines, _SUMMARY)
    if len(lines) < count:
        what = f"{_told(count - len(lines))} with a tab or a line end in a field, or far too long"
        notes.append(IndexNote(0, what))
    return {
        **{kind: _put_lines(file, _whole(found, 2)) for kind, found in links.items()},
        "links": list(links),
        "count": len(lines),
        "notes": notes,
        "marked": [name for name in marked if "\t" not in name and "\n" not in name],
        "blocks": blocks,
        "rows": _put_lines(file, lines),
        "provides": _put_lines(file, _whole(provides, 2)),
        "built": _put_lines(file, _whole(built, 1)),
    }


def _told(count: int) -> str:
    """How many entries were passed over."""
    return f"{count} entr{'y' if count == 1 else 'ies'} passed over,"


def _whole(lines: list[str], tabs: int) -> list[str]:
    """Lines of so many columns; what would be more than one, or have more columns, is left out:
    whoever wrote it hoped to be read as two entries."""
    text = "".join(lines)
    longest = max(map(len, lines), default=0)
    if (
        text.count("\n") == len(lines)
        and text.count("\t") == tabs * len(lines)
        and longest <= _LONGEST_LINE
    ):
        return lines
    return [
        line
        for line in lines
        if line.count("\n") == 1 and line.count("\t") == tabs and len(line) <= _LONGEST_LINE
    ]


def _take(
    batch: Batch, number: int, base: int, lines: list[str], provides: list[str], built: list[str]
) -> None:
    provides += _owned(batch.provides, batch.entries, base)
    for at, (name, arch, version, origin, state, start, length, summary) in enumerate(
        batch.entries, base
    ):
        lines.append(
            f"{name}\t{at}\t{arch}\t{version}\t{origin}\t{state}"
            f"\t{number}\t{start}\t{length}\t{summary}\n"
        )
        if origin:
            built.append(f"{origin}\t{name}\n")


def _take_links(batch: Batch, base: int, links: dict[str, list[str]]) -> None:
    for kind, pairs in batch.links.items():
        found = links.setdefault(kind, [])
        found += _owned(pairs, batch.entries, base)


def _owned(
    pairs: Iterable[tuple[str, int]], entries: Sequence[ParsedEntry], base: int
) -> Iterator[str]:
    """A line for each name and the entry that says it; those of one entry stand together."""
    last, end = -1, ""
    for name, at in pairs:
        if at != last:
            last, end = at, f"\t{entries[at][0]}\t{base + at}\n"
        yield name + end


def _put_lines(file: IO[bytes], lines: list[str]) -> tuple[int, int]:
    first = file.tell()
    lines.sort()  # by code points, which is the byte order of UTF-8
    file.write("".join(lines).encode("utf-8", "replace"))
    return first, file.tell()


def _checksums(file: IO[bytes]) -> list[int]:
    """A checksum of each chunk of what was written so far."""
    handle, at, found = file.fileno(), 0, []
    while piece := os.pread(handle, _CHUNK, at):
        found.append(zlib.crc32(piece))
        at += len(piece)
    return found


def _as_text(numbers: Iterable[int]) -> str:
    """Many numbers as one text: thousands of them one by one take longer to read than all the
    rest of the facts."""
    found = array("Q", numbers)
    if sys.byteorder == "big":
        found.byteswap()
    return binascii.b2a_base64(found.tobytes(), newline=False).decode()


def _numbers(text: str) -> array[int]:
    """The numbers of such a text; ValueError where it is none."""
    found = array("Q", binascii.a2b_base64(text, strict_mode=True))
    if sys.byteorder == "big":
        found.byteswap()
    return found


def _write_tail(file: IO[bytes], facts: dict[str, Any]) -> None:
    tail = json.dumps(facts).encode()
    checksum = zlib.crc32(tail).to_bytes(4, "little")
    file.write(tail + checksum + len(tail).to_bytes(8, "little"))
