"""What can be told of a host and its sources, as values."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Annotated, Literal, NamedTuple

from velpin.model.installer import Installer
from velpin.model.reason import Inline, Note
from velpin.model.source import Source

if TYPE_CHECKING:
    from velpin.errors import VelpinError

SourceState = Literal["on", "off", "not fetched"]


class SourcePriority(NamedTuple):
    """A priority of a source, and the components that it holds for."""

    priority: int
    components: tuple[str, ...]


class SourceStatus(NamedTuple):
    """How one source stands on its host today: tier, priority, freshness, signature."""

    source: Annotated[Source, Inline]
    state: SourceState
    tier: int | None
    priorities: tuple[SourcePriority, ...]
    """The host's own priorities, highest first, each with the components it holds for."""
    channel: tuple[str, ...]
    """What the release file says of itself: suite, codename, version, not automatic."""
    signed: str
    signers: tuple[str, ...]
    offers: int
    dated: float | None
    """When the release file was made, in seconds since 1970, None where not fetched."""
    copy: Literal["installer", "velpin", ""]
    problem: str = ""


class SourceCounts(NamedTuple):
    """How many sources a host has."""

    on: int
    off: int
    not_fetched: int
    """Those of the sources that are on of which there is no index here."""


class HostFacts(NamedTuple):
    """What host this is."""

    kind: str
    release: Mapping[str, str]
    """The fields of etc/os-release."""
    arch: str
    foreign: tuple[str, ...]
    installer: Installer
    sources: SourceCounts
    oldest_index: float | None
    """When the oldest index that takes part was made, in seconds since 1970."""
    newest_index: float | None
    installed: int
    held: int
    notes: tuple[Note, ...] = ()


class SearchHit(NamedTuple):
    """A name that a search met, and what would be installed of it."""

    name: str
    summary: str
    installed: str | None
    version: str | None
    source: str | None


@dataclass(slots=True)
class RefreshResult:
    """What came of fetching one source."""

    handle: str
    outcome: Literal["new", "unchanged", "failed"]
    warnings: list[str] = field(default_factory=list)
    error: VelpinError | None = None
    bytes: int = 0
    """How much was fetched."""
    offers: int = 0
    signed_by: tuple[str, ...] = ()
    """Fingerprints of the keys that signed it."""


class KeyUse(NamedTuple):
    """One key and what it signs for; times in seconds since 1970."""

    owner: str
    fingerprint: str
    created: float
    expires: float | None
    algorithm: str
    revoked: bool
    where: str
    sources: tuple[str, ...]
    everything: bool
    """Whether it signs for every source that names no key."""
