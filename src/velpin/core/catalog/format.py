"""The format of a catalog (docs/catalogs.md), read strictly.

velpin-catalog = 1
name = "harbour"
serial = 7                  grows with each version
expires = 2027-12-31        optional: the last day on which it counts

[[source]]
name = "gullwatch"
key = "http://pkg.gullwatch.example/key.asc"
fingerprints = ["..."]

[[source.place]]
kind = "..."
address = "http://pkg.gullwatch.example/apt"
suite = "{codename}"
"""

from __future__ import annotations

import re
import time
from collections.abc import Collection, Iterator
from typing import NamedTuple
from urllib.parse import urlsplit

from velpin.errors import ReleaseRefused
from velpin.files.toml import TomlTable, read_toml
from velpin.model.catalog import CatalogPlace, CatalogSource
from velpin.model.dates import day
from velpin.model.reason import Place

VERSION = 1
RESERVED = ("add", "refresh", "write")
"""Words that are commands where a name may stand."""
_NAME = re.compile(r"[a-z0-9][a-z0-9.+_-]*\Z")
_PART = re.compile(r"[A-Z][A-Z0-9_]*\Z")
_VARIABLE = re.compile(r"\{([^{}]*)\}")
_FINGERPRINT = re.compile(r"[0-9A-Fa-f]{40}([0-9A-Fa-f]{24})?\Z")
VARIABLES = ("release", "major", "codename", "arch", "channel")
_MOST_SOURCES, _MOST_PLACES = 5000, 200
ARMOUR = "-----BEGIN PGP PUBLIC KEY BLOCK-----"


class Catalog(NamedTuple):
    """One catalog."""

    file: str
    name: str
    summary: str
    issued: str
    """The day of this version, as YYYY-MM-DD; empty where it says none."""
    sources: tuple[CatalogSource, ...]
    serial: int = 0
    """Grows with each version; 0 for a catalog without one."""
    expires: str = ""
    """The last day on which it counts, as YYYY-MM-DD; empty for one that does not expire."""

    def has_expired(self, now: float) -> bool:
        """Whether its last day is over; `now` is in seconds since 1970."""
        return bool(self.expires) and day(now) > self.expires


def check_expiry(catalog: Catalog) -> None:
    """ReleaseRefused for a catalog that has expired."""
    if catalog.has_expired(time.time()):
        raise ReleaseRefused(
            f"{catalog.file}: this catalog expired on {catalog.expires}",
            "ask who publishes it for a newer one",
        )


def read_catalog(data: bytes, file: str, kinds: Collection[str]) -> Catalog:
    """A catalog; HostFileError, with the line and what would help, where it is not understood.

    `kinds` are the kinds of host that it may speak of."""
    top = read_toml(data, file)
    version = top.number("velpin-catalog")
    if version != VERSION:
        raise top.wrong(
            "velpin-catalog" if "velpin-catalog" in top else "",
            "is no catalog of this version" if version is not None else "says no version",
            f"velpin-catalog = {VERSION}",
        )
    name, summary, issued = top.text("name"), top.text("summary"), top.day("issued")
    serial, expires = top.number("serial") or 0, top.day("expires")
    if serial < 0:
        raise top.wrong("serial", f"{serial} is no serial number", "serial = 1")
    sources: dict[str, CatalogSource] = {}
    for table in top.tables("source", _MOST_SOURCES):
        source = _source(table, kinds)
        if source.name in sources:
            raise table.wrong(
                "name", f"{source.name} stands at line {sources[source.name].place.line} already"
            )
        sources[source.name] = source
    top.done()
    return Catalog(file, name, summary, issued, tuple(sources.values()), serial, expires)


def parts_of(name: str) -> tuple[str, tuple[str, ...]]:
    """A name before its first slash, and the names of its parts."""
    head, *parts = name.split("/")
    return head, tuple(parts)


def _source(table: TomlTable, kinds: Collection[str]) -> CatalogSource:
    name = table.text("name", needed=True).replace(":", "/", 1)  # as catalogs once had it
    head, parts = parts_of(name)
    if not _NAME.match(head) or head in RESERVED:
        raise table.wrong(
            "name", f"{name!r} cannot be a name", "a-z, 0-9 and . + _ -, not add, refresh or write"
        )
    if not all(map(_PART.match, parts)) or len(set(parts)) < len(parts):
        raise table.wrong(
            "name", f"{name!r}: its parts are no names", "for example yard/OWNER/NAME"
        )
    channels = table.texts("channels") or ("steady",)
    for channel in channels:
        if not _NAME.match(channel):
            raise table.wrong("channels", f"{channel!r} cannot be the name of a channel")
    fingerprints = table.texts("fingerprints")
    for text in fingerprints:
        if not _FINGERPRINT.match(re.sub(r"[\s:]", "", text)):
            raise table.wrong(
                "fingerprints", f"{text!r} is no fingerprint", "all 40 characters of it"
            )
    known = {*VARIABLES, *(part.lower() for part in parts)}
    key = _key(table, known)
    if key and not fingerprints:
        raise table.wrong("key", "a key without its fingerprint", 'fingerprints = ["..."]')
    packages = table.texts("packages")
    confine = table.flag("confine")
    if confine and not packages:
        raise table.wrong("confine", "confined to which packages?", 'packages = ["GLOB"]')
    places = tuple(
        _place(inner, kinds, known, channels) for inner in table.tables("place", _MOST_PLACES)
    )
    if not places:
        raise table.wrong("", f"{name} says no place", "[[source.place]]")
    found = CatalogSource(
        name, table.text("summary"), table.text("page"), channels, packages, confine, key,
        tuple(re.sub(r"[\s:]", "", text).upper() for text in fingerprints), places,
        Place(table.file, table.line),
    )  # fmt: skip
    table.done()
    return found


def _key(table: TomlTable, known: Collection[str]) -> str:
    key = table.text("key", lines=True)
    if not key or key.startswith(ARMOUR):
        return key
    table.text("key")
    if urlsplit(key).scheme not in ("http", "https", "file"):
        raise table.wrong("key", "the key is neither an address nor an armoured key")
    _check_variables(table, "key", key, known)
    return key


def _check_variables(table: TomlTable, name: str, text: str, known: Collection[str]) -> None:
    for variable in _VARIABLE.findall(text):
        if variable not in known:
            told = ", ".join(f"{{{one}}}" for one in sorted(known))
            raise table.wrong(name, f"{{{variable}}} is no variable", f"there are {told}")


def _place(
    table: TomlTable, kinds: Collection[str], known: Collection[str], channels: Collection[str]
) -> CatalogPlace:
    mine = table.texts("kind")
    if not mine:
        raise table.wrong("", "kind is missing", f"one or more of {', '.join(sorted(kinds))}")
    for kind in mine:
        if kind not in kinds:
            raise table.wrong(
                "kind",
                f"no kind of host is called {kind!r}",
                f"there are {', '.join(sorted(kinds))}",
            )
    address = table.text("address", needed=True)
    for name, text in _addresses(table, address):
        if not urlsplit(text).scheme:
            raise table.wrong(name, f"{text!r} is not an address: it has no scheme such as https:")
        _check_variables(table, name, text, known)
    suite, components = table.text("suite"), table.texts("components")
    for text in (suite, *components):
        _check_variables(table, "suite", text, known)
    if suite.endswith("/") and components:
        raise table.wrong("components", f"{suite!r} is a folder and takes no components")
    of = table.texts("channel")
    for channel in of:
        if channel not in channels:
            raise table.wrong(
                "channel", f"{channel!r} is no channel of it", f"channels = {list(channels)}"
            )
    found = CatalogPlace(
        mine, table.texts("hosts"), table.texts("releases"), table.texts("architectures"), of,
        address, suite, components, table.texts("mirrors"), table.text("index"),
        table.flag("signed_index"), table.line,
    )  # fmt: skip
    table.done()
    return found


def _addresses(table: TomlTable, address: str) -> Iterator[tuple[str, str]]:
    yield "address", address
    for mirror in table.texts("mirrors"):
        yield "mirrors", mirror


def filled(text: str, values: dict[str, str]) -> str:
    """A text with its variables put in; those that have no value stay."""
    return _VARIABLE.sub(lambda found: values.get(found.group(1), found.group()), text)
