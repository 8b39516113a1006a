"""The values that travel along Velpin's data road, the same for every kind of host.

Nothing here reads files or knows a terminal. Words for people are made at the front
from `Reason.code` and `Reason.facts`.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal, NamedTuple

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


class Request(NamedTuple):
    """What the administrator asks for, taken apart; `text` is as it was typed."""

    text: str
    name: str
    arch: str = ""
    operator: str = ""
    """Empty, `=` (text or glob), or one of `>= <= > < ==`."""
    version: str = ""
    source: str = ""


OfferState = Literal["chosen", "candidate", "passed over", "source off", "to be built"]


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


NeedWhen = Literal["runs", "builds", "checks"]
NeedHow = Literal["installed", "source", "recipe", "nowhere"]


class Need(NamedTuple):
    """Something that building a package needs, and where it would come from."""

    relation: str
    """As the recipe says it."""
    when: NeedWhen
    how: NeedHow
    package: str = ""
    version: str = ""
    source: str = ""


class Building(NamedTuple):
    """One package that would have to be built."""

    name: str
    version: str
    source: str
    file: str
    """Its recipe's file in the source."""
    needs: tuple[Need, ...]


class BuildPlan(NamedTuple):
    """What it would take to have a package that only recipes have; nothing of it is done."""

    asked: str
    steps: tuple[Building, ...]
    """In the order of building, what was asked for last."""
    changes: tuple[Change, ...]
    """What the host's installer would bring for it first."""
    problem: Reason | None = None
    """Why it could not be built."""


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
    builds: tuple[BuildPlan, ...] = ()
    """What could be built of what cannot be installed, or was asked for from recipes."""
