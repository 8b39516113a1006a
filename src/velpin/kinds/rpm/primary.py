"""Reading `primary.xml`, the main list of a repository, into batches for the index store.

The text is a stream: it is cut behind each `</package>`, and some packages at a time are
given to the XML parser, within the start tag of the whole. Nothing is expanded: a document
type or an entity of its own is refused. Lists of 100,000 packages are common, so what is done for
each of their elements is as little as can be.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

from velpin.errors import HostFileError
from velpin.fetch.unpack import unpacked
from velpin.files.text import whole_number
from velpin.forked import processors
from velpin.kinds.rpm.entry import RpmLink, written
from velpin.kinds.rpm.listed import COMMON, FORMAT, LOCATION, RPM, ListedPackage, read_element
from velpin.kinds.rpm.relation import Capability, RpmRelation, read_relation
from velpin.kinds.rpm.usual_form import packages_in
from velpin.model import package_names
from velpin.store.index import Batch, IndexNote, IndexPart, Notes, ParsedEntry, Row

if TYPE_CHECKING:
    from xml.etree.ElementTree import Element

NAMES = package_names.NameGrammar("A-Za-z0-9_", "A-Za-z0-9@%._+-", "A-Za-z0-9.+~:_^%-")
"""What packages and versions of this kind can be called."""
_END = b"</package>"
_IN_BLOCK = 48
_LARGE = 24 << 20
_MOST_PARTS = 8
"""Each part unpacks what lies before it, so more of them gain little."""
_ROOT = re.compile(rb"<(?:[\w.-]+:)?metadata\b[^>]*>")
_FIRST = re.compile(rb"<package\b")
_FOR_PEOPLE = (
    f"{COMMON}description", f"{COMMON}url", f"{FORMAT}/{RPM}license", f"{COMMON}packager",
)  # fmt: skip
"""Where a package element has what is for people alone."""
_SOURCES = ("src", "nosrc")
"""Architectures of packages that are only to be built from."""
LINKS = (RpmLink.OBSOLETES, RpmLink.SUPPLEMENTS)
"""Kinds of relation that are looked up from the other side; `N` beside them: paths needed."""


class Span(NamedTuple):
    """Which packages of a stream a part reads: those that begin in these bytes."""

    first: int = 0
    last: int = 1 << 62


def kept_as_provided(path: str) -> bool:
    """Whether a file is one of those that the main list names, and so can be needed by all."""
    return path.startswith("/etc/") or "bin/" in path or path == "/usr/lib/sendmail"


def parts_of(path: Path, size: int = 0) -> list[IndexPart]:
    """The readers of one list, several where it is large, one for each processor; `size` is that
    of the plain text, 0 where it is not known."""
    count = min(processors(), _MOST_PARTS, size // _LARGE + 1)
    if count < 2:
        return [partial(read_primary, path)]
    starts = [size * number // count for number in range(count)]
    ends = [*starts[1:], Span().last]
    spans = map(Span, starts, ends)
    return [partial(read_primary, path, span=span) for span in spans]


def read_primary(path: Path, notes: Notes, span: Span | None = None) -> Iterator[Batch]:
    """The packages of one list, some at a time.

    Raises HostFileError, with the line, where it is cut off or no such list.
    """
    for line, root, text in _chunks(unpacked(path), path.name, span or Span()):
        found = packages_in(root, text)
        if found is None:
            found = list(map(read_element, _tree(path.name, line, root, text)))
        yield _batch(found, text, line, notes)


def listed_sources(data: bytes, where: str) -> Iterator[ListedPackage]:
    """The source packages of one list, from its plain text."""
    for tree in _trees([data], where):
        for element in tree:
            found = read_element(element)
            if found.arch in _SOURCES and found.name and found.version:
                yield found


class PlaceListed(NamedTuple):
    """Where a package lies below its source, and where its header ends (0 where unsaid)."""

    location: str
    header_end: int


def listed_places(path: Path) -> Iterator[PlaceListed]:
    """Where the packages of one list lie; HostFileError where it is no such list."""
    for tree in _trees(unpacked(path), path.name):
        for element in tree:
            place = element.find(LOCATION)
            location = place.get("href", "") if place is not None else ""
            if not location:
                continue
            header = element.find(f"{FORMAT}/{RPM}header-range")
            end = whole_number(header.get("end", "")) if header is not None else 0
            yield PlaceListed(location, end or 0)


class PackageTexts(NamedTuple):
    """What a list says of a package for people alone."""

    description: str = ""
    homepage: str = ""
    license: str = ""
    packager: str = ""


def texts_of(path: Path, row: Row) -> PackageTexts:
    """What a list says of one of its packages for people, empty where it has it no more."""
    name = f">{row.name}</".encode()
    for line, root, text in _chunks(unpacked(path), path.name, Span()):
        for element in _tree(path.name, line, root, text) if name in text else ():
            found = read_element(element)
            if (found.name, found.version, found.arch) == (row.name, row.version, row.arch):
                return PackageTexts(*(element.findtext(place, "").strip() for place in _FOR_PEOPLE))
    return PackageTexts()


def _trees(pieces: Iterable[bytes], where: str) -> Iterator[Element]:
    """Some packages at a time, parsed."""
    for line, root, text in _chunks(pieces, where, Span()):
        yield _tree(where, line, root, text)


def _tree(where: str, line: int, root: bytes, text: bytes) -> Element:
    """Some packages, parsed."""
    from xml.etree import ElementTree
    from xml.parsers import expat

    try:
        return ElementTree.fromstring(root + text + b"</metadata>")
    except ElementTree.ParseError as problem:
        at = line + problem.position[0] - 1 - root.count(b"\n")
        what = expat.ErrorString(problem.code)
        raise HostFileError(where, at, f"not well-formed: {what}") from problem


_LARGEST_REST = 64 << 20
"""Bytes of packages that may be held at once."""


def _chunks(pieces: Iterable[bytes], where: str, span: Span) -> Iterator[tuple[int, bytes, bytes]]:
    """Line, start tag of the whole, and the text of some packages."""
    root, rest, line, offset = b"", b"", 1, 0
    for piece in pieces:
        rest += piece
        if len(rest) > _LARGEST_REST:
            raise HostFileError(where, line, "packages that are far larger than any is")
        if not root:
            root, rest, used, lines = _head(rest, where)
            if not root:
                continue
            offset, line = offset + used, line + lines
        at = 0
        while True:
            end = _after(rest, at)
            if end < 0:
                break
            if span.first <= offset + at < span.last:
                yield line, root, rest[at:end]
            line += rest.count(b"\n", at, end)
            at = end
        rest, offset = rest[at:], offset + at
        if offset >= span.last:
            return
    if not root:
        raise HostFileError(where, line, "no list of packages in it; it may be cut off")
    end = rest.rfind(_END) + len(_END) if _END in rest else 0
    if end and span.first <= offset < span.last:
        yield line, root, rest[:end]
    if b"</metadata>" not in rest[end:] and b":metadata>" not in rest[end:]:
        raise HostFileError(where, line + rest.count(b"\n"), "the list of packages is cut off")


def _after(text: bytes, at: int) -> int:
    """Where a block of packages ends that begins at a place, -1 where it is not all there."""
    for _ in range(_IN_BLOCK):
        found = text.find(_END, at)
        if found < 0:
            return -1
        at = found + len(_END)
    return at


def _head(text: bytes, where: str) -> tuple[bytes, bytes, int, int]:
    """The start tag of the whole, the rest, and how many bytes and lines stood before it."""
    found = _ROOT.search(text)
    before = text[: found.start()] if found else text
    if b"<!DOCTYPE" in before or b"<!ENTITY" in before:
        raise HostFileError(where, 1, "declares a document type or entities, which is refused")
    if not found:
        if len(text) > 1 << 16:
            raise HostFileError(where, 1, "no list of packages")
        return b"", text, 0, 0
    end = found.end()
    root = found.group()
    if root.endswith(b"/>"):
        return root[:-2] + b">", b"</metadata>", end, before.count(b"\n")
    return root, text[end:], end, text.count(b"\n", 0, end)


def _batch(packages: Sequence[ListedPackage], source: bytes, line: int, notes: Notes) -> Batch:
    texts: list[bytes] = []
    entries: list[ParsedEntry] = []
    provides: list[tuple[str, int]] = []
    links: dict[str, list[tuple[str, int]]] = {kind: [] for kind in (*LINKS, "N")}
    start = 0
    check = package_names.check(NAMES)
    are_sound = check.are_all_sound(
        [found.name for found in packages], [found.version for found in packages]
    )
    for number, found in enumerate(packages):
        if found.arch in _SOURCES:
            continue
        if not (found.name and found.arch and found.version):
            at = line + _lines_before(source, number)
            notes.append(IndexNote(at, "a package without name, architecture or version"))
            continue
        odd = "" if are_sound else check.why_odd(found.name, found.version)
        if odd:
            if len(notes) < package_names.MOST_TOLD:
                notes.append(IndexNote(line + _lines_before(source, number), odd))
            continue
        relations = found.relations
        text = written(found.head, relations, found.files).encode("utf-8", "replace")
        at = len(entries)
        entries.append(
            ParsedEntry(
                found.name, found.arch, found.version, "", "", start, len(text), found.summary
            )
        )
        provides += [(name.partition(" ")[0], at) for name in relations.get(RpmLink.PROVIDES, ())]
        provides += [(file, at) for file in found.files]
        for kind in LINKS:
            if kind in relations:
                links[kind] += [(name, at) for told in relations[kind] for name in names_in(told)]
        links["N"] += [(file, at) for file in _needed_files(relations)]
        texts.append(text)
        start += len(text) + 2
    return Batch(b"\n\n".join(texts), entries, provides, [], links)


def _lines_before(source: bytes, number: int) -> int:
    """How many lines of a text end before a package in it begins, the first being 0."""
    at = -1
    for _ in range(number + 1):
        found = _FIRST.search(source, at + 1)
        at = found.start() if found else at
    return source.count(b"\n", 0, max(at, 0))


def _needed_files(relations: dict[str, dict[str, None]]) -> list[str]:
    """Paths that a package mentions."""
    return [
        name
        for kind in "RMSCG"
        for text in relations.get(kind, ())
        if "/" in text
        for name in names_in(text)
        if name.startswith("/")
    ]


def names_in(text: str) -> list[str]:
    """Every name that a relation mentions."""
    if not text.startswith("("):
        return [text.partition(" ")[0]]

    def walk(one: RpmRelation) -> Iterator[str]:
        if isinstance(one, Capability):
            yield one.name
        else:
            for part in one.parts:
                yield from walk(part)

    return list(dict.fromkeys(walk(read_relation(text))))
