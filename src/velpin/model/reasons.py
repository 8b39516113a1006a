"""Reasons that several kinds of host give, or that Velpin's own steps do."""

from __future__ import annotations

from velpin.model.reason import FromSource, Place, Reason, listed

# -- why it wins -------------------------------------------------------------------------------


class IsInstalled(Reason):
    says = "{version} is installed already"
    version: str


class Held(Reason):
    says = "{version} is installed and on hold"
    version: str


class AskedVersion(Reason):
    says = "you asked for version {version}; priorities do not matter then"
    version: str


class AskedSource(Reason):
    says = "{version} is the newest in {source}, which you asked for; priorities do not matter then"
    version: str
    source: str


class ProvidesAsked(Reason):
    says = "{package} provides {name}"
    package: str
    name: str


# -- why an offer was passed over --------------------------------------------------------------


class NotAskedVersion(Reason):
    says = "you asked for {asked}"
    asked: str


class NotAskedSource(Reason):
    says = "you asked for {asked}"
    asked: str


class BestImpossible(Reason):
    says = "cannot be installed as things are"


class NotPossible(Reason):
    says = "cannot be installed"


class IsReplaced(Reason):
    says = "replaced by {version}"
    version: str


# -- why a request is refused ------------------------------------------------------------------


class Unknown(Reason):
    says = "no enabled source has a package called {name}"
    name: str


class NotForArch(Reason):
    says = "{name} is not available for {arch}"
    name: str
    arch: str


class NoVersion(Reason):
    says = "{name} is not available in version {version}"
    name: str
    version: str
    versions: tuple[str, ...] = ()


class NoVersionInSource(Reason):
    says = "{name} is not available in version {version} from {source}"
    name: str
    version: str
    source: str
    versions: tuple[str, ...] = ()


class NotInSource(Reason):
    says = "{source} has no {name}"
    source: str
    name: str


class SourceIsOff(Reason):
    says = "{source} is switched off; switch it on with velpin on {source:word}"
    source: str


class SourceNotFetched(Reason):
    says = "{source} has no index here yet; fetch it with velpin refresh {source:word}"
    source: str


class FilesRefused(Reason):
    says = "{at}{what}; because of it the host's installer refuses every request"
    what: str
    file: str = ""
    line: int = 0

    @property
    def at(self) -> str:
        """The place for the head of the sentence."""
        return f"{Place(self.file, self.line)}: " if self.file else ""


class NeverRefreshed(Reason):
    says = (
        "no index of {sources} here yet: while a source was never refreshed, the host's installer"
        " refuses every change; run velpin refresh"
    )
    sources: tuple[str, ...]


class TargetUnknown(Reason):
    says = (
        "no source has the target release {target} ({place}), so the host's installer refuses"
        " every request"
    )
    target: str
    place: Place | str


class Unmet(Reason):
    says = "its dependencies cannot all be met"


class HostUnmet(Reason):
    says = (
        "dependencies of installed packages are not met ({packages}); the host's installer"
        " refuses every request that does not fix them"
    )
    packages: tuple[str, ...]


class GaveUp(Reason):
    says = "no answer was found within the limits; what this request would give is not known"


# -- the chain of causes -----------------------------------------------------------------------


class Needs(Reason):
    says = "{package} {version} needs {relation}"
    package: str
    version: str
    relation: str


class Excludes(Reason):
    says = "{package} {version} cannot be installed beside {other} {other_version}"
    package: str
    version: str
    other: str
    other_version: str
    relation: str = ""


class Lacking(Reason):
    """A name that nothing fits, and sources switched off that have it."""

    name: str
    off: tuple[str, ...] = ()

    @property
    def or_off(self) -> str:
        """The sources that are off, for the end of a sentence."""
        return f"; {listed(self.off)}, switched off, has it" if self.off else ""


class NothingCalled(Lacking):
    says = "no enabled source has anything called {name}{or_off}"


class NoneFits(Lacking):
    says = "{name} is only available in version {versions}{or_off}"
    versions: tuple[str, ...]


class WouldDo(FromSource):
    says = "{version}{from_source} would do, but"
    name: str
    version: str


class IsPhased(Reason):
    says = "its source has released it to {share} % of hosts so far, and not to this one"
    share: int
    name: str


# -- ways out ----------------------------------------------------------------------------------


class AskForVersion(Reason):
    says = "also asks for {name} {version} from {source}"
    name: str
    version: str
    source: str


class AskInstead(Reason):
    says = "asks for {name} {version} from {source} instead"
    name: str
    version: str
    source: str


class InNoOtherSource(Reason):
    says = "no other source has it"


class ThereIs(Reason):
    says = "there is {name} {version}"
    name: str
    version: str


class SetBrings(Reason):
    says = "{asked} brings {names}{besides}"
    asked: str
    names: tuple[str, ...]
    besides: str
    """The end of the sentence: what it changes besides; empty if nothing."""


class ShowsHidden(Reason):
    says = "finds the setting that shows {name}"
    name: str


class WithoutIt(Reason):
    says = "removes {name}, which is in the way"
    name: str


class SourceOn(Reason):
    says = "{source} has {name}"
    source: str
    name: str


class RuleInTheWay(Reason):
    says = "removes the rule at {place}; without it nothing is refused"
    place: Place


# -- notes -------------------------------------------------------------------------------------


class InstallerMustRefresh(Reason):
    says = (
        "uses indexes that velpin fetched and the installer does not have yet: {sources}; refresh"
        " the installer's before you install"
    )
    sources: tuple[str, ...]


class NotFetched(Reason):
    says = "no index of {sources} yet, so its packages are not considered"
    sources: tuple[str, ...]


class Damaged(Reason):
    says = "the index of {source} cannot be read and is ignored: {what}"
    source: str
    what: str


class NoRecord(Reason):
    says = "the host has no record of installed packages: nothing is known as installed"


class RecordOdd(Reason):
    says = (
        "{count} entries of the host's package record cannot be read and are ignored, the first:"
        " {what}"
    )
    count: int
    what: str
