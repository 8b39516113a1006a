"""What differs between two forecasts of the whole host, as values."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal, NamedTuple

from velpin.model.forecast import Answer, HeldBack
from velpin.model.reason import Reason


class Selection(NamedTuple):
    """A version and the handle of its source, empty where no source has it."""

    version: str
    source: str


class ChangedUpgrade(NamedTuple):
    """An installed package that the next upgrade would leave in another version, or from
    another source, than before a change."""

    name: str
    arch: str
    installed: str
    before: Selection | None
    """None where the upgrade removes it."""
    after: Selection | None
    because: Reason | None = None
    """What lets it change, if that is another package that the change brings."""


class ChangedAnswer(NamedTuple):
    """A name whose answer, if it were asked for, differs; null where it is not available."""

    name: str
    before: Selection | None
    after: Selection | None


class UpgradeResult(NamedTuple):
    """How the installed packages would stand after the next full upgrade."""

    selections: Mapping[tuple[str, str], tuple[str, Selection | None]]
    """By name and architecture: the version installed now, and how it would stand."""
    held_back: tuple[HeldBack, ...] = ()
    problem: Reason | None = None
    """Why the host would refuse the upgrade."""


class Shift(NamedTuple):
    """What differs between two forecasts of the whole host."""

    upgrades: tuple[ChangedUpgrade, ...] = ()
    held_back: tuple[HeldBack, ...] = ()
    """Installed packages that are kept back after the change and were not before."""
    answers: tuple[ChangedAnswer, ...] = ()
    """Names that are not installed and would be answered differently, by name."""
    asked: tuple[tuple[Answer, Answer], ...] = ()
    """For each named package: the answer before, the answer after."""
    upgrade_problem: Reason | None = None
    """Why the host would refuse its upgrade after the change though it did not before."""


class PackageSnapshot(NamedTuple):
    """How one package stood when the host was looked at."""

    name: str
    arch: str
    installed: str | None
    next: Selection | None
    """After the next upgrade; what a request would give where it is not installed."""
    held: bool
    offers: tuple[tuple[str, str, int], ...]
    """Version, source (empty where none has it) and the host's own number of every version."""


DriftCause = Literal["host", "sources", "content", "rule", "others"]


class Drift(NamedTuple):
    """A package that is different than it once did, and why."""

    name: str
    arch: str
    before: Selection | None
    after: Selection | None
    installed: tuple[str | None, str | None]
    """Then and now."""
    causes: tuple[DriftCause, ...]
