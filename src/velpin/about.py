"""What can be told of a host and its sources, as values."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Literal, NamedTuple

from velpin.model import Note, Source

if TYPE_CHECKING:
    from velpin.errors import VelpinError

SourceState = Literal["on", "off", "not fetched"]


class Standing(NamedTuple):
    """How one source stands on its host today: tier, number, freshness, signature."""

    source: Source
    state: SourceState
    tier: int | None
    numbers: tuple[tuple[int, tuple[str, ...]], ...]
    """The host's own numbers, highest first, each with the sections it holds for."""
    channel: tuple[str, ...]
    """What the release file says of itself: suite, codename, version, not automatic."""
    signed: str
    signers: tuple[str, ...]
    offers: int
    dated: float | None
    """When the release file was made, in seconds since 1970, None where not fetched."""
    copy: Literal["installer", "velpin", ""]
    problem: str = ""


class HostFacts(NamedTuple):
    """What host this is."""

    kind: str
    release: Mapping[str, str]
    """The fields of etc/os-release."""
    arch: str
    foreign: tuple[str, ...]
    on: int
    off: int
    not_fetched: int
    oldest: float | None
    newest: float | None
    installed: int
    held: int
    notes: tuple[Note, ...] = ()


class Met(NamedTuple):
    """A name that a search met, and what would be installed of it."""

    name: str
    summary: str
    installed: str | None
    version: str | None
    source: str | None


@dataclass(slots=True)
class Refreshed:
    """What came of fetching one source."""

    handle: str
    outcome: Literal["new", "unchanged", "failed"]
    warnings: list[str] = field(default_factory=list)
    error: VelpinError | None = None
    bytes: int = 0


class KeyUse(NamedTuple):
    """One key and what it vouches for; times in seconds since 1970."""

    owner: str
    fingerprint: str
    created: float
    expires: float | None
    algorithm: str
    revoked: bool
    where: str
    sources: tuple[str, ...]
    everything: bool
    """Whether it vouches for every source that names no key."""
