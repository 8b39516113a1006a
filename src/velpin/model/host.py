"""What can be told of a host and its sources, as values."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Annotated, Literal, NamedTuple

from velpin.model.installer import Installer
from velpin.model.reason import Inline, Note
from velpin.model.source import Source

if TYPE_CHECKING:
    from velpin.errors import TrustError, VelpinError

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
    """Keys that were verified to have signed the index that counts."""
    offers: int
    dated: float | None
    """When the release file was made, in seconds since 1970, None where not fetched."""
    copy: Literal["installer", "velpin", ""]
    problem: str = ""
    package_signers: tuple[str, ...] = ()
    """Keys that were verified to have signed some of its packages."""
    named_keys: tuple[str, ...] = ()
    """Keys that may sign for it, as the host's files say; nothing is known of what they signed."""
    to_import: tuple[str, ...] = ()
    """Keys that the host's installer will fetch, and ask about, when it first needs them."""


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
    support_ends: float | None = None
    """When the last day of support of the release begins, in seconds since 1970; null if the
    release does not say it."""


class SearchHit(NamedTuple):
    """A name that a search met, and what would be installed of it."""

    name: str
    summary: str
    installed: str | None
    version: str | None
    source: str | None


class OfferedKey(NamedTuple):
    """A key that the host's installer will fetch, and ask about, when it first needs it."""

    address: str
    fingerprint: str
    owner: str


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
    """Fingerprints of the keys that were verified to have signed its index."""
    packages_signed_by: tuple[str, ...] = ()
    """Fingerprints of the keys that were verified to have signed some of its packages."""
    checked: Literal["index", "packages", ""] = ""
    """Which signature was checked; empty where there was none that could be."""
    offered_keys: tuple[OfferedKey, ...] = ()
    """Keys at the addresses that its configuration names, which the host's installer does not
    have yet."""
    doubt: TrustError | None = None
    """A signature that does not hold, which the host's installer would not look at."""


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
    """The sources that it is named for, or that it may sign because they name none."""
    everything: bool
    """Whether it may sign for every source that names no key."""
    signs: tuple[str, ...] = ()
    """The sources whose index or packages it was verified to have signed."""
