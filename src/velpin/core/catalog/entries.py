"""What a catalog's sources are for one host: which place fits, its address filled in."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from typing import TYPE_CHECKING

from velpin.core.catalog.format import Catalog, filled, parts_of
from velpin.core.catalog.shelf import read_shelf
from velpin.errors import Refusal, UsageError, did_you_mean
from velpin.model.catalog import CatalogEntry, CatalogPlace, CatalogSource
from velpin.model.shell import shell_word
from velpin.model.source_reasons import (
    CatalogOtherArch,
    CatalogOtherChannel,
    CatalogOtherHost,
    CatalogOtherKind,
    CatalogOtherRelease,
    NotFor,
)
from velpin.store.name_search import nearest

if TYPE_CHECKING:
    from velpin.model.source import Source
    from velpin.ports.bundle import Ports

_VALUE = re.compile(r"[A-Za-z0-9][A-Za-z0-9._+-]*\Z")


def all_entries(ports: Ports) -> list[CatalogEntry]:
    """Every source of every catalog; of one name in several, the first catalog's."""
    found: dict[str, CatalogEntry] = {}
    for catalog in read_shelf(ports.tree).catalogs:
        for source in catalog.sources:
            found.setdefault(source.name, entry_of(ports, catalog, source))
    return list(found.values())


def find_entry(ports: Ports, asked: str, channel: str = "") -> CatalogEntry | None:
    """The entry for a name as it is typed, None where no catalog has it.

    Raises UsageError where the name needs parts, or has too many, or a channel is none of its;
    HostFileError where a catalog that might have it is not understood.
    """
    head, given = parts_of(asked)
    shelf = read_shelf(ports.tree)
    for catalog in shelf.catalogs:
        for source in catalog.sources:
            name, parts = parts_of(source.name)
            if name != head or (given and not parts):  # it may be a file's path
                continue
            if len(given) != len(parts) or not all(map(_VALUE.match, given)):
                raise UsageError(
                    f"{asked}: this name has parts", f"velpin add {shell_word(source.name)}"
                )
            if channel and channel not in source.channels:
                raise UsageError(
                    f"{asked} has no channel {channel}", f"it has {', '.join(source.channels)}"
                )
            values = {part.lower(): value for part, value in zip(parts, given, strict=True)}
            return entry_of(ports, catalog, source, channel, asked, values)
    if shelf.errors:
        raise shelf.errors[0]
    return None


def entry_of(
    ports: Ports,
    catalog: Catalog,
    source: CatalogSource,
    channel: str = "",
    name: str = "",
    parts: dict[str, str] | None = None,
) -> CatalogEntry:
    """One source for one host; `parts` are the values of its name's parts."""
    chosen = channel or source.channels[0]
    values = {**variables(ports), "channel": chosen, **(parts or {})}
    entry = CatalogEntry(
        name or source.name, source.summary, catalog.file, source.place, fits=False, why_not=None,
        channels=source.channels, channel=chosen, packages=source.packages, confine=source.confine,
        page=source.page, key=filled(source.key, values), fingerprints=source.fingerprints,
    )  # fmt: skip
    reasons = [why_not(ports, place, chosen) for place in source.places]
    missing = None if None in reasons else _nearest_reason(ports, source, chosen)
    if missing is not None and not isinstance(missing, _OVERRULED):
        return entry._replace(why_not=missing)
    codes = [reason.code if reason else "" for reason in reasons]
    place = source.places[codes.index(missing.code if missing else "")]
    address = filled(place.address, values).rstrip("/")
    suite = filled(place.suite, values)
    handle = place.index_name or handle_of(entry)
    return entry._replace(
        fits=missing is None, why_not=missing, address=address, suite=suite,
        components=tuple(filled(one, values) for one in place.components),
        mirrors=tuple(filled(one, values).rstrip("/") for one in place.mirrors),
        index_name=place.index_name, signed_index=place.signed_index,
        on_host=_on_host(ports, handle, [address, *place.mirrors], suite),
    )  # fmt: skip


def handle_of(entry: CatalogEntry) -> str:
    """What a source of a catalog is called on the host."""
    return entry.index_name or re.sub(r"[^a-z0-9.+-]+", "-", entry.name.lower()).strip("-")


def variables(ports: Ports) -> dict[str, str]:
    """What is put in for a host: release, its major part, codename, architecture."""
    release = ports.configuration.release.get("VERSION_ID", "")
    return {
        "release": release,
        "major": release.partition(".")[0],
        "codename": ports.configuration.release.get("VERSION_CODENAME", ""),
        "arch": ports.configuration.native,
    }


def why_not(ports: Ports, place: CatalogPlace, channel: str) -> NotFor | None:
    """Why a place is not for a host; None where it is."""
    release = ports.configuration.release
    names = {release.get("ID", ""), *release.get("ID_LIKE", "").split()}
    native = ports.configuration.native
    if ports.kind not in place.kinds:
        return CatalogOtherKind(has=place.kinds, here=ports.kind)
    if place.channels and channel not in place.channels:
        return CatalogOtherChannel(has=place.channels, here=channel)
    if place.hosts and not names.intersection(place.hosts):
        return CatalogOtherHost(has=place.hosts, here=release.get("ID", "unknown"))
    mine = variables(ports)
    if place.releases and not {mine["codename"], mine["release"], mine["major"]} & set(
        place.releases
    ):
        here = mine["codename"] or mine["release"] or "unknown"
        return CatalogOtherRelease(has=place.releases, here=here)
    if place.architectures and native not in place.architectures:
        return CatalogOtherArch(has=place.architectures, here=native)
    return None


_ORDER: Sequence[type[NotFor]] = (
    CatalogOtherKind, CatalogOtherChannel, CatalogOtherHost, CatalogOtherRelease, CatalogOtherArch,
)  # fmt: skip
"""What a place fails by, the nearest miss last."""


_OVERRULED = (CatalogOtherRelease, CatalogOtherArch)
"""Where an address can be filled in all the same, for those who know better."""


def _nearest_reason(ports: Ports, source: CatalogSource, channel: str) -> NotFor:
    """Why no place fits: of the one that comes nearest, with what all alike have."""
    reasons = [reason for place in source.places if (reason := why_not(ports, place, channel))]
    last = max(reasons, key=lambda reason: _ORDER.index(type(reason)))
    alike = [reason for reason in reasons if type(reason) is type(last)]
    has = dict.fromkeys(name for reason in alike for name in reason.has)
    return type(last)(has=tuple(has), here=last.here)


def _on_host(ports: Ports, handle: str, addresses: Sequence[str], suite: str) -> str:
    """The handle under which a host has a source already."""
    for source in ports.configuration.sources:
        mine = (source.address.rstrip("/"), *_all_addresses(ports, source))
        same_suite = not suite or source.release == suite
        if same_suite and any(address.rstrip("/") in mine for address in addresses):
            return source.handle
    return handle if handle in ports.configuration.by_handle else ""


def _all_addresses(ports: Ports, source: Source) -> Iterator[str]:
    for address in ports.composer.addresses_of(source):
        yield address.partition(" ")[0].rstrip("/")


def search(entries: Sequence[CatalogEntry], words: Sequence[str]) -> list[CatalogEntry]:
    """Entries that hold every word in their name, summary or packages."""
    wanted = [word.lower() for word in words]
    return [
        entry
        for entry in entries
        if all(
            word in f"{entry.name} {entry.summary} {' '.join(entry.packages)}".lower()
            for word in wanted
        )
    ]


def no_entry(ports: Ports, name: str) -> Refusal:
    """What is said of a name that no catalog has."""
    near = nearest(name, [entry.name for entry in all_entries(ports)])
    hint = did_you_mean(near, "velpin catalog lists them")
    return Refusal(f"no catalog has a source {name!r}", hint)
