"""What a forecast says: offers, answers, changes, and what building would take."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated, Literal, NamedTuple, TypeVar

from velpin.model.reason import Inline, Reason, Sentence

OfferState = Literal["chosen", "candidate", "passed over", "source off", "to be built"]


PACKAGE_FILE = "package-file"
"""What package files are called as a source."""


class Rhythm(NamedTuple):
    """How often a source brings new packages, as far as those tell that it still has."""

    newest: float
    """When the newest of its packages was built, in seconds since 1970."""
    days: int
    """On how many days of the year up to then packages were built that it has; at least that many,
    since those that gave way to newer ones are no longer counted."""


class Details(NamedTuple):
    """All that an index says of one version; texts are empty where it does not say them.

    Relations are as the index has them, in the form of the host's kind.
    """

    description: str = ""
    """Beyond the summary; a blank line parts paragraphs."""
    homepage: str = ""
    license: str = ""
    maintainer: str = ""
    """Who is to be asked about it, else the vendor."""
    download_bytes: int | None = None
    disk_bytes: int | None = None
    needs: tuple[str, ...] = ()
    recommends: tuple[str, ...] = ()
    suggests: tuple[str, ...] = ()
    conflicts: tuple[str, ...] = ()
    replaces: tuple[str, ...] = ()
    provides: tuple[str, ...] = ()
    rhythm: Rhythm | None = None
    """How often its source brings new packages; null if its index has no dates of packages."""


class Offer(NamedTuple):
    """One version of one package for one architecture in one source."""

    name: str
    arch: str
    version: str
    source: str
    component: str
    """Empty where sources have none."""
    url: str
    summary: str
    priority: int
    """The priority the host gives this version (its own scale)."""
    state: OfferState
    installed: bool
    dated: float | None = None
    """When it was built, or if its index does not say that, when the index that has it was made, in
    seconds since 1970; null where neither is known, and in lists of all that a source has."""
    kept_out: Sentence | None = None
    """Why the host's settings keep it out, where they do; on rpm hosts alone."""
    details: Details | None = None
    """All that its index says of it, where that was asked for."""


class PassedOver(NamedTuple):
    """An offer that was not taken, and the cause."""

    version: str
    source: str
    why: Sentence


Outcome = Literal["install", "upgrade", "downgrade", "reinstall", "remove", "keep", "none"]
T = TypeVar("T")


def outcome_of(old: T | None, new: T | None, compare: Callable[[T, T], int]) -> Outcome:
    """What happens to a package, in a word; `compare` holds a version against another."""
    if new is None:
        return "remove"
    if old is None:
        return "install"
    if old is new:
        return "keep"
    order = compare(new, old)
    return "upgrade" if order > 0 else "downgrade" if order < 0 else "reinstall"


DecidedBy = Literal[
    "", "only offer", "version", "rule", "source priority", "target release", "request",
    "installed", "architecture", "cost", "reading order", "order of sources", "group",
    "installed provider", "conflict", "vendor",
]  # fmt: skip
"""What decided which version a request gets; empty if there is a problem."""
Role = Literal[
    "asked", "upgrade", "essential", "state", "requires", "recommends", "suggests", "source",
    "breaks", "conflicts", "follows", "broken", "supplements", "replaced", "replaces", "removed",
    "unneeded",
]  # fmt: skip
"""Why a package changes: `asked`, `upgrade`, `essential`, `state` (its installation was
interrupted); because of another: `requires`, `recommends`, `suggests`, `source` (built together),
`breaks`, `conflicts`, `follows` (the old one needed what goes), `broken` (what it needs goes),
`supplements`, `replaced`, `replaces`, `removed`; `unneeded` (nothing needs it any more)."""


class Stays(NamedTuple):
    """How long a version stays once it is installed."""

    until: Literal["", "next upgrade"] = ""
    """Empty: until its source has a newer one."""
    version: str | None = None
    """What is installed after the next upgrade; null if that removes it."""
    source: str | None = None
    replaced_by: str = ""
    """The package that takes its place, if that is another."""
    rule: str = ""
    """A rule with which it stays, tried; empty if none was found."""
    reasons: tuple[Reason, ...] = ()
    """Why the next upgrade takes another version."""


class Answer(NamedTuple):
    """What one request gets."""

    asked: str
    """The request as it was given."""
    package: str
    arch: str
    outcome: Outcome
    installed: str | None
    """The version that is installed now."""
    version: str | None
    """The version that would be installed, or stay."""
    source: str | None
    """Where it would come from; null where no source has it."""
    url: str | None
    """The repository's base address."""
    decided_by: DecidedBy
    """What decided; empty if there is a problem."""
    reasons: tuple[Reason, ...] = ()
    passed_over: tuple[PassedOver, ...] = ()
    problem: Reason | None = None
    near: tuple[str, ...] = ()
    download_bytes: int = 0
    disk_bytes: int = 0
    stays: Stays = Stays()


class Change(NamedTuple):
    """One package that the transaction changes; `new` is null for a removal."""

    name: str
    arch: str
    old: str | None
    new: str | None
    source: str | None
    url: str | None
    role: Role
    """Why it changes; most because of `by`."""
    by: str | None = None
    """The package because of which it changes, where there is one."""
    relation: str = ""
    """What that package says of it, as written."""
    old_source: str | None = None
    """Where the installed version comes from; null where no source has it."""
    publisher: str = ""
    """Who publishes what comes, if that is another than who published what goes; else empty."""
    old_publisher: str = ""
    """Who published what goes, if that is another; else empty."""
    outcome: Outcome = "install"
    download_bytes: int = 0
    disk_bytes: int = 0
    foreign: bool = False
    """Whether it is of another architecture than the host's first."""

    @property
    def changes_hands(self) -> bool:
        """Whether it comes from another publisher than the installed version."""
        return bool(self.publisher)

    @property
    def comes_from_elsewhere(self) -> bool:
        """Whether it comes from another source than the installed version does."""
        return None not in (self.new, self.old_source) and self.old_source != self.source

    @property
    def moves(self) -> bool:
        """Whether it comes from another source of the same publisher."""
        return self.comes_from_elsewhere and not self.changes_hands


class HeldBack(NamedTuple):
    """An installed package that the upgrade leaves as it is though there is a newer one."""

    name: str
    arch: str
    installed: str
    version: str
    source: str | None
    why: tuple[Reason, ...]


class Remedy(NamedTuple):
    """A small change that was tried and with which the host would not refuse."""

    command: str
    what: Annotated[Reason, Inline]


Reply = Literal["yes", "no", "the first", "all", "stops", ""]
"""An answer; `stops` if nothing is asked and the installer gives up, empty if it just goes on."""


class Question(NamedTuple):
    """One question of the installer, or something it does not do without an option."""

    asks: Annotated[Reason, Inline]
    default: Reply
    """What Enter alone answers."""
    unattended: Reply
    """What the installer answers for itself when it runs with its option for that."""
    option: str
    """The installer's option that answers its questions, such as `-y`."""
    allowed_by: str = ""
    """The option with which the installer does not stop there; empty if it needs none."""


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


class HostName(NamedTuple):
    """Which host a forecast is for."""

    kind: str
    arch: str
    """Empty where not even that can be read."""
    generation: str = ""
    """Of the installer: `older` or `newer`; empty where all decide alike."""


class Forecast(NamedTuple):
    """The predicted outcome of all requests together."""

    host: HostName
    ok: bool
    """Whether the installer would carry it out."""
    problem: Sentence | None
    answers: tuple[Answer, ...] = ()
    changes: tuple[Change, ...] = ()
    """Empty where the installer would refuse."""
    download_bytes: int = 0
    disk_bytes: int = 0
    """What the changes add to the disk; negative where they free room."""
    notes: tuple[Reason, ...] = ()
    because: tuple[Reason, ...] = ()
    """Why the host would refuse, from what was asked for to the cause."""
    remedies: tuple[Remedy, ...] = ()
    """Small changes with which it would not; each was tried."""
    held_back: tuple[HeldBack, ...] = ()
    unneeded: tuple[str, ...] = ()
    """Installed packages that nothing needs any more afterwards."""
    questions: tuple[Question, ...] = ()
    """What the installer asks before it does this, in the order in which it asks."""
    next: tuple[str, ...] = ()
    """Commands that do this, of the host's installer, a line each; a rule goes first if it takes
    one. Empty if nothing changes, and if no command gives just this."""
    builds: tuple[BuildPlan, ...] = ()
    """What could be built of what cannot be installed, or was asked for from recipes."""
