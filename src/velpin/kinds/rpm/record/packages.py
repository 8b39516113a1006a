"""What the host's own record says of each installed package, as entries for the index store.

Observed rules: docs/how-hosts-choose/rpm.md, "The record of installed packages".
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from pathlib import Path

from velpin.kinds.rpm import header as h
from velpin.kinds.rpm.entry import RpmLink, read_facts, written
from velpin.kinds.rpm.header import Header
from velpin.kinds.rpm.primary import PackageTexts, kept_as_provided, names_in
from velpin.kinds.rpm.record.place import headers
from velpin.kinds.rpm.record.sqlite import log_of
from velpin.store.index import Batch, Notes, ParsedEntry, Row, Stamp

INSTALLED = "installed"
"""The state of every package of the record."""
_KEY = "gpg-pubkey"
_IN_BLOCK = 32
LINKS = (
    RpmLink.REQUIRES,
    RpmLink.CONFLICTS,
    RpmLink.OBSOLETES,
    RpmLink.RECOMMENDS,
    RpmLink.SUGGESTS,
    RpmLink.SUPPLEMENTS,
)
"""Kinds of relation that are looked up from the other side."""


def stamp_of(path: Path) -> Stamp:
    """What tells whether the record has changed, with its write-ahead log, where one is there.

    Raises OSError where the file cannot be seen.
    """
    stamp = Stamp.of(path)
    try:
        log = Stamp.of(log_of(path))
    except OSError:
        return stamp
    return Stamp(stamp.path, stamp.size + log.size, max(stamp.mtime_ns, log.mtime_ns))


def read_record(path: Path, notes: Notes) -> Iterator[Batch]:
    """Installed packages as batches for the index store, names in byte order: the installers
    go by the record's table of names (observed). The first has the identifiers of the keys that
    the host has taken."""
    found: list[Header] = []
    keys = []
    for header in headers(path):
        name = h.text_of(header, h.NAME)
        if name == _KEY:
            keys.append(h.text_of(header, h.VERSION).lower())
        elif name:
            found.append(header)
    found.sort(key=lambda header: h.text_of(header, h.NAME).encode())
    for start in range(0, max(len(found), 1), _IN_BLOCK):
        yield _batch(found[start : start + _IN_BLOCK], [] if start else keys)


def _batch(found: list[Header], keys: list[str]) -> Batch:
    texts: list[bytes] = []
    entries: list[ParsedEntry] = []
    provides: list[tuple[str, int]] = []
    links: dict[str, list[tuple[str, int]]] = {}
    start = 0
    for at, header in enumerate(found):
        relations, files = h.relations_of(header), h.files_of(header)
        text = written(_head(header), relations, files).encode("utf-8", "replace")
        entries.append(
            ParsedEntry(
                h.text_of(header, h.NAME), h.text_of(header, h.ARCH) or "noarch",
                h.version_of(header), "", INSTALLED, start, len(text),
                h.text_of(header, h.SUMMARY),
            )
        )  # fmt: skip
        provides += [(text.partition(" ")[0], at) for text in relations.get(RpmLink.PROVIDES, ())]
        provides += [(path, at) for path in files if kept_as_provided(path)]
        for kind, names in _links(relations).items():
            links.setdefault(kind, []).extend((name, at) for name in names)
        texts.append(text)
        start += len(text) + 2
    return Batch(b"\n\n".join(texts), entries, provides, keys, links)


def _links(relations: Mapping[str, Iterable[str]]) -> dict[str, list[str]]:
    """The names that a package's relations mention, by kind of link."""
    return {
        kind: sorted({name for told in relations.get(kind, ()) for name in names_in(told)})
        for kind in LINKS
    }


def links_of(text: bytes) -> dict[str, list[str]]:
    """The same from the text that is kept of a package."""
    return _links(read_facts(text).relations)


def _head(header: Header) -> tuple[str, ...]:
    size = h.number_of(header, h.LONG_SIZE) or h.number_of(header, h.SIZE)
    return (
        h.text_of(header, h.VENDOR), "", "0", str(size), str(h.number_of(header, h.BUILT)),
        h.text_of(header, h.SOURCE),
    )  # fmt: skip


def texts_of(path: Path, row: Row) -> PackageTexts:
    """What the record says of an installed package for people."""
    for header in headers(path):
        if (h.text_of(header, h.NAME), h.version_of(header)) == (row.name, row.version) and (
            h.text_of(header, h.ARCH) or "noarch"
        ) == row.arch:
            tags = (h.DESCRIPTION, h.URL, h.LICENSE, h.PACKAGER)
            return PackageTexts(*(h.text_of(header, tag) for tag in tags))
    return PackageTexts()


def signing_keys(path: Path) -> list[tuple[str, str]]:
    """Version and armoured text of every signing key that the record holds."""
    return [
        (h.text_of(header, h.VERSION), str(header.get(h.DESCRIPTION, [""])[0]))
        for header in headers(path)
        if h.text_of(header, h.NAME) == _KEY
    ]
