"""The values that travel along Velpin's data road, the same for every kind of host.

Nothing here reads files or knows a terminal. Words for people are made at the front
from `Reason.code` and `Reason.facts`.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Literal, NamedTuple

from velpin.errors import VelpinError

Fact = str | int


class Place(NamedTuple):
    """Where something stands: a file under the root (no leading slash) and a 1-based line."""

    file: str
    line: int

    def __str__(self) -> str:
        return f"{self.file}:{self.line}" if self.line else self.file


class Note(NamedTuple):
    """Something found while reading that does not stop the work."""

    place: Place
    text: str


@dataclass(frozen=True, slots=True)
class Source:
    """One place packages come from: a repository at a URL, with its release and sections."""

    handle: str
    repository: str
    address: str
    release: str
    sections: tuple[str, ...]
    url: str
    on: bool
    places: tuple[Place, ...]


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


class Request(NamedTuple):
    """What the administrator asks for, taken apart; `text` is as it was typed."""

    text: str
    name: str
    arch: str = ""
    operator: str = ""
    """Empty, `=` (text or glob), or one of `>= <= > < ==`."""
    version: str = ""
    source: str = ""


OfferState = Literal["chosen", "candidate", "passed over", "source off"]


class Offer(NamedTuple):
    """One version of one package for one architecture in one source."""

    name: str
    arch: str
    version: str
    source: str
    section: str
    url: str
    summary: str
    number: int
    """The number the host gives this version (its own scale)."""
    state: OfferState
    installed: bool


class Reason(NamedTuple):
    """One cause of a decision, as data."""

    code: str
    facts: Mapping[str, Fact]
    then: tuple[Reason, ...] = ()
    """The causes of this one."""


class PassedOver(NamedTuple):
    """An offer that was not taken, and the cause."""

    version: str
    source: str
    why: Reason


Outcome = Literal["install", "upgrade", "downgrade", "reinstall", "remove", "keep", "none"]


class Answer(NamedTuple):
    """What one request gets."""

    asked: str
    package: str
    arch: str
    outcome: Outcome
    installed: str | None
    version: str | None
    source: str | None
    url: str | None
    decided_by: str
    reasons: tuple[Reason, ...] = ()
    passed_over: tuple[PassedOver, ...] = ()
    problem: Reason | None = None
    near: tuple[str, ...] = ()
    download_bytes: int = 0
    disk_bytes: int = 0


class Change(NamedTuple):
    """One package that the transaction changes; `new` is None for a removal."""

    name: str
    arch: str
    old: str | None
    new: str | None
    source: str | None
    url: str | None
    role: str
    by: str | None = None
    """The package because of which it changes, where there is one."""
    relation: str = ""
    """What that package says of it, as written."""
    old_source: str | None = None
    """Where the installed version comes from, None where no source has it."""
    outcome: Outcome = "install"
    download_bytes: int = 0
    disk_bytes: int = 0
    foreign: bool = False
    """Whether it is of another architecture than the host's first."""


class Kept(NamedTuple):
    """An installed package that the upgrade leaves as it is though there is a newer one."""

    name: str
    arch: str
    installed: str
    version: str
    source: str | None
    why: tuple[Reason, ...]


class WayOut(NamedTuple):
    """A small change that was tried and with which the host would not refuse."""

    command: str
    what: Reason


class Forecast(NamedTuple):
    """The predicted outcome of all requests together."""

    kind: str
    arch: str
    ok: bool
    problem: Reason | None
    answers: tuple[Answer, ...]
    changes: tuple[Change, ...]
    download_bytes: int
    disk_bytes: int
    notes: tuple[Reason, ...] = ()
    exit_code: int = 0
    chain: tuple[Reason, ...] = ()
    """Why the host would refuse, from what was asked for to the cause."""
    ways_out: tuple[WayOut, ...] = ()
    kept: tuple[Kept, ...] = ()
    unneeded: tuple[str, ...] = ()
    """Installed packages that nothing needs any more afterwards."""


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


Stand = tuple[str, str]
"""A version and the handle of its source, empty where no source has it."""


class Moved(NamedTuple):
    """An installed package that the next upgrade would leave in another version, or from
    another source, than before a change."""

    name: str
    arch: str
    installed: str
    before: Stand | None
    """None where the upgrade removes it."""
    after: Stand | None


class Turned(NamedTuple):
    """A name whose answer, if it were asked for, differs; None where it is not to be had."""

    name: str
    before: Stand | None
    after: Stand | None


class AfterUpgrade(NamedTuple):
    """How the installed packages would stand after the next full upgrade."""

    stands: Mapping[tuple[str, str], tuple[str, Stand | None]]
    """By name and architecture: the version installed now, and how it would stand."""
    kept: tuple[Kept, ...] = ()
    problem: Reason | None = None
    """Why the host would refuse the upgrade."""


class Shift(NamedTuple):
    """What differs between two forecasts of the whole host."""

    moved: tuple[Moved, ...] = ()
    kept: tuple[Kept, ...] = ()
    """Installed packages that are kept back after the change and were not before."""
    turned: tuple[Turned, ...] = ()
    """Names that are not installed and would be answered otherwise, by name."""
    asked: tuple[tuple[Answer, Answer], ...] = ()
    """For each named package: the answer before, the answer after."""
    problem: Reason | None = None
    """Why the host would refuse its upgrade after the change though it did not before."""


WishKind = Literal["prefer", "confine", "pin", "bar", "keep"]


class Wish(NamedTuple):
    """What the administrator wants to win, in Velpin's own words; sources by handle."""

    kind: WishKind
    names: tuple[str, ...] = ()
    """Package names or globs; an architecture may follow a colon."""
    source: str = ""
    """The source that is preferred, confined, barred, or that a pin takes from."""
    version: str = ""
    """Of a pin: a version or a glob."""
    over: tuple[str, ...] = ()
    under: tuple[str, ...] = ()
    over_all: bool = False
    allow_older: bool = False
    """Of a pin: also where that means going back."""
    pre_releases: bool = False
    """Of a bar: only versions that are not final, and sections for such."""
    sections: tuple[str, ...] = ()
    """Of a bar: these sections of the source."""


class Verdict(NamedTuple):
    """Whether a wish is what a forecast shows; `rival` is the place of a rule that wins."""

    holds: bool
    why: Reason | None = None
    rival: Place | None = None


class Rule(NamedTuple):
    """A recorded wish that is in force, or would be if anything heeded it."""

    place: Place
    says: Reason
    wish: Wish | None
    """Set where Velpin wrote it."""
    numbers: int
    """The host's own number in it."""
    offers: int
    """How many offers have their number from it."""
    installed: tuple[str, ...]
    """Installed packages of which it decides what comes next."""
    dead: Reason | None = None
    """Why it decides nothing."""


class Pictured(NamedTuple):
    """How one package stood when the host was looked at."""

    name: str
    arch: str
    installed: str | None
    next: Stand | None
    """After the next upgrade; what a request would give where it is not installed."""
    held: bool
    offers: tuple[tuple[str, str, int], ...]
    """Version, source (empty where none has it) and the host's own number of every version."""


Cause = Literal["host", "sources", "content", "rule", "others"]


class Drift(NamedTuple):
    """A package that stands otherwise than it once did, and why."""

    name: str
    arch: str
    before: Stand | None
    after: Stand | None
    installed: tuple[str | None, str | None]
    """Then and now."""
    causes: tuple[Cause, ...]
