"""What catalogs say of sources, as values."""

from __future__ import annotations

from typing import NamedTuple

from velpin.model.reason import Place, Sentence


class CatalogPlace(NamedTuple):
    """Where a source is for some hosts; texts may hold variables."""

    kinds: tuple[str, ...]
    hosts: tuple[str, ...]
    """Which distributions (ID or ID_LIKE in etc/os-release); none: any."""
    releases: tuple[str, ...]
    """Codenames or numbers; none: any."""
    architectures: tuple[str, ...]
    channels: tuple[str, ...]
    """Those that it is for; none: all."""
    address: str
    suite: str = ""
    components: tuple[str, ...] = ()
    mirrors: tuple[str, ...] = ()
    index_name: str = ""
    """What the source's index is called, where that is its name on the host."""
    signed_index: bool = False
    """Whether the index itself is signed, where hosts ask for that apart."""
    line: int = 0


class CatalogSource(NamedTuple):
    """One source that a catalog describes."""

    name: str
    """A name may have parts: `yard/OWNER/NAME`."""
    summary: str
    page: str
    channels: tuple[str, ...]
    """The first is the default."""
    packages: tuple[str, ...]
    """Names or globs that it is for."""
    confine: bool
    """Whether it should give these alone."""
    key: str
    """An address, or the key itself as armoured text."""
    fingerprints: tuple[str, ...]
    places: tuple[CatalogPlace, ...]
    place: Place


class CatalogEntry(NamedTuple):
    """A source of a catalog as it is for one host, its address filled in."""

    name: str
    summary: str
    catalog: str
    """The file that it is in."""
    place: Place
    fits: bool
    why_not: Sentence | None
    channels: tuple[str, ...] = ()
    channel: str = ""
    address: str = ""
    suite: str = ""
    components: tuple[str, ...] = ()
    mirrors: tuple[str, ...] = ()
    index_name: str = ""
    signed_index: bool = False
    packages: tuple[str, ...] = ()
    confine: bool = False
    page: str = ""
    key: str = ""
    fingerprints: tuple[str, ...] = ()
    on_host: str = ""
    """The handle under which this host has it."""


class MirrorLook(NamedTuple):
    """What a look at one mirror found; time in seconds since 1970."""

    address: str
    dated: float | None
    """When its index was made; None where it could not be reached."""
    problem: str = ""
