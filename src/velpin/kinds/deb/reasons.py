"""Reasons that only deb hosts give."""

from __future__ import annotations

from typing import ClassVar

from velpin.model.reason import FromSource, Place, Reason
from velpin.model.reasons import Lacking


class SolverUnknown(Reason):
    says = (
        "the settings ask for the solver {solver} ({place}), and there is none called so: the"
        " installer refuses every request"
    )
    solver: str
    place: Place | str


class CopyDiffers(Reason):
    says = (
        "the installer's copy of the index of {source} does not match its release file and may be"
        " incomplete; run the installer's own refresh"
    )
    source: str


class RecordEmptied(Reason):
    says = "/{file} lists no packages but /{saved} does: it may have been truncated"
    file: str
    saved: str


# -- why a version has its priority ------------------------------------------------------------


class PriorityReason(Reason):
    """Why a version has its priority."""

    low: ClassVar[str] = ""
    """Why that is low, for the end of a sentence."""
    version: str
    priority: int
    source: tuple[str, ...] = ()
    place: Place | None = None
    names: str = ""
    pin: str = ""


class PriorityDefault(PriorityReason):
    says = "{version} from {source} has priority 500, the default"


class PriorityNotAutomatic(PriorityReason):
    says = "{version} from {source} has priority 1: its source asks not to be used unless named"
    low = "its source is not automatic"


class PriorityUpgradesOnly(PriorityReason):
    says = (
        "{version} from {source} has priority 100: its source asks to upgrade only what was"
        " installed from it"
    )
    low = "its source only upgrades what was installed from it"


class PriorityPhased(PriorityReason):
    says = "{version} from {source} has priority 1: it is not released to this host yet"
    low = "it is not released to this host yet"


class PriorityTarget(PriorityReason):
    says = "{version} from {source} has priority 990: its source is the target release"


class PriorityRecord(PriorityReason):
    says = "{version} has priority {priority}, set at {place} for {names} ({pin})"


class PriorityNever(PriorityReason):
    says = "{version} is never installed, says {place} ({pin})"


class PriorityOwn(PriorityReason):
    says = "{version} has priority 100: it is installed, and no enabled source has it"
    low = "no enabled source has it"


class PriorityRecorded(PriorityReason):
    says = "{version} was removed; only its configuration files are left"
    low = "only its configuration files are left"


# -- why it wins -------------------------------------------------------------------------------


class HighestPriority(Reason):
    says = "the highest priority wins, whatever the version; the next is {next}"
    next: int
    priority: int


class Newest(Reason):
    says = "{version} is the newest with priority {priority}"
    version: str
    priority: int


class FirstOfSame(Reason):
    says = "{version} is listed several times; the first one is taken"
    version: str


class Downgrades(Reason):
    says = "priority {priority} is 1000 or more, so it replaces even a newer installed version"
    priority: int


class HoldOverruled(Reason):
    says = "it is on hold, which asking for it by name overrules"


class OnlyProvider(Reason):
    says = "{name} is a virtual package; only {package} provides it"
    name: str
    package: str


class FirstListed(Reason):
    says = (
        "{source} and {others} have exactly the same version; it is downloaded from the one"
        " listed first"
    )
    source: str
    others: tuple[str, ...]


# -- why an offer was passed over --------------------------------------------------------------


class Outweighed(Reason):
    """An offer that was passed over for its priority."""

    cause: PriorityReason

    @property
    def why_low(self) -> str:
        """Where the priority is set, or why it is low, for the end of a sentence."""
        told = self.cause.place or self.cause.low
        return f" ({told})" if told else ""


class Barred(Outweighed):
    says = "priority {cause.priority} means never{why_low}"


class LowerPriority(Outweighed):
    says = "priority {cause.priority} is below {chosen}{why_low}"
    chosen: int


class Older(Outweighed):
    says = "older, with the same priority {cause.priority}"
    chosen: int


class OlderThanInstalled(Outweighed):
    says = "older than the installed version, and priority {cause.priority} is below 1000"
    chosen: int | None = None


class SameListedLater(Outweighed):
    says = "the same version, built differently and listed later"
    chosen: int


class ListedLater(Reason):
    says = "exactly the same version, listed after {first}"
    first: str


# -- why a request is refused ------------------------------------------------------------------


class UnknownSource(Reason):
    says = "no source, suite or codename is called {source}{near}"
    source: str
    near: str


class NoArch(Reason):
    says = "this host has no architecture {arch}; it has {has}"
    arch: str
    name: str
    has: tuple[str, ...]


class SeveralProviders(Reason):
    says = "{name} is provided by several packages; choose one: {providers}"
    name: str
    providers: tuple[str, ...]


class NoProvider(Reason):
    says = "{name} is only provided by versions that would not be installed: {providers}"
    name: str
    providers: tuple[str, ...]


class EntryIncomplete(Reason):
    says = (
        "the entry of {name} {version} in {source} has no {field}: the host's installer refuses"
        " to fetch it"
    )
    name: str
    version: str
    source: str
    field: str


class SeveralArchs(Reason):
    says = "{name} is meant for several architectures, {archs}: name one"
    name: str
    archs: tuple[str, ...]


class NoCandidate(Reason):
    says = "no version of {name} may be installed"
    name: str


class NeverASource(Reason):
    says = "{name}: no source has the version with the highest priority"
    name: str


class OnlyRecorded(Reason):
    says = "{version} of {name} was installed once; no source has it any more"
    version: str
    name: str


# -- the chain of causes -----------------------------------------------------------------------


class StaysAsked(Reason):
    says = "which you also asked for"


class StaysHeld(Reason):
    says = "which is on hold"


class StaysEssential(Reason):
    says = "which is essential"


class StaysNeeded(Reason):
    says = "which other packages need"


class NothingFits(Lacking):
    says = "what provides {name} does not fit{or_off}"


class Takes(FromSource):
    says = "the host takes {name} {version}{from_source}"
    name: str
    version: str


class TakesNothing(Reason):
    says = "the host takes no version of {name}"
    name: str


class HeldAt(Reason):
    says = "{name} is on hold at {version}"
    name: str
    version: str


class NoWayEither(Reason):
    says = "{name} {version} cannot be installed either"
    name: str
    version: str


class GivenUp(Reason):
    says = "{name} {version} was given up along the way"
    name: str
    version: str


class OnlyAsItIs(Reason):
    says = "only {name} {version} meets that, as it is now"
    name: str
    version: str


class IsHeld(Reason):
    says = "it is on hold"
    name: str = ""


# -- ways out ----------------------------------------------------------------------------------


class AskForHeld(Reason):
    says = "asks for {name} by name, which overrules its hold"
    name: str


# -- notes -------------------------------------------------------------------------------------


class TakenAsPattern(Reason):
    says = (
        "no package is called {pattern}; the host's installer reads it as a pattern, which matches"
        " {count}"
    )
    pattern: str
    count: int
