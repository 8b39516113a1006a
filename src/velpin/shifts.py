"""What differs between two forecasts of the whole host, as values."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal, NamedTuple

from velpin.model import Answer, Kept, Reason

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
