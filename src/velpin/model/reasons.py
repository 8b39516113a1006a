"""Reasons that several kinds of host give, or that Velpin's own steps do."""

from __future__ import annotations

from typing import ClassVar

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


class SourceOn(Reason):
    says = "{source} has {name}"
    source: str
    name: str


class RuleInTheWay(Reason):
    says = "removes the rule at {place}; without it nothing is refused"
    place: Place


# -- rules that do not hold --------------------------------------------------------------------


class ComesAllTheSame(Reason):
    says = "{name} would still come from {source}, which has priority {priority}"
    name: str
    source: str
    priority: int


class StillChanges(FromSource):
    says = "the next upgrade would still install {name} {version}{from_source}"
    name: str
    version: str


class NoNameThere(Reason):
    says = "{source} has no package called {name}"
    source: str
    name: str


class NoSuchName(Reason):
    says = "no source has a package called {name}, and none is installed"
    name: str


class NoSuchVersion(FromSource):
    says = "no source has {name} in version {version}{from_source}"
    name: str
    version: str


class WouldGoBack(Reason):
    says = "{name} {installed} is installed and {version} is older, which has to be allowed"
    name: str
    installed: str
    version: str


class RuleGone(Reason):
    says = "removes the rule at {place}; then yours holds"
    place: Place


class WithOlder(Reason):
    says = "allows the downgrade"


class ForemostWins(Reason):
    says = "writes the rule at the head of {file}, where it wins"
    file: str


class UpgradeRefused(Reason):
    says = "the host's installer would refuse the next full upgrade: {what}"
    what: str


# -- what a rule says --------------------------------------------------------------------------


class SaysRule(Reason):
    says = "{rule}"
    rule: str


class SaysBar(Reason):
    says = "bar {names} from {sources}"
    names: str
    sources: str
    priority: int = 0


class KeepsAsIs(Reason):
    """What a rule says that keeps packages as they are."""


# -- why a rule decides nothing ----------------------------------------------------------------


class RuleIdle(Reason):
    says = "nothing would change without it"


class RuleSourceOff(Reason):
    says = "{sources} is switched off"
    sources: tuple[str, ...]


class RuleNotThere(Reason):
    says = "the sources it names do not have {names}"
    names: str
    version: str = ""


class RuleNoPackage(Reason):
    says = "no package is called {names}"
    names: str


class RuleOverruled(Reason):
    says = "always overruled by {by}"
    by: tuple[str, ...]


class RuleNoSource(Reason):
    says = "no source has {pin}"
    pin: str


class RuleOdd(Reason):
    says = "the host's installer ignores it"


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


class SourceWarning(Reason):
    says = "{source} {what}"
    source: str
    what: str


class WrongArch(Reason):
    says = "{source} has nothing for {arch}; it has {has}"
    source: str
    arch: str
    has: str
    asked: str = ""


class GivesNothing(Reason):
    says = "{source} would give this host nothing: {what}"
    source: str
    what: str


class AddedOff(Reason):
    says = (
        "{source} is switched off in what you gave, so it would give this host nothing; add it"
        " all the same, then velpin on {source:word}"
    )
    source: str


class SomeAddedOff(Reason):
    says = "of these sources {on} would be on, and {count} off: {off}"
    on: tuple[str, ...]
    off: tuple[str, ...]
    count: int


class NoOwnSuite(Reason):
    says = (
        "{source} has no suite called {here}; {asked} may be made for another release (it has"
        " {has})"
    )
    source: str
    here: str
    asked: str
    has: tuple[str, ...]


class NothingChecked(Reason):
    says = "no signature of {source} is checked, neither of its index nor of its packages"
    source: str


class Unchecked(Reason):
    """A check of signatures that does not take place for a source."""

    why: ClassVar[str] = ""
    """Why it matters that this one alone is off, if the rest of the checks still holds."""
    why_half: ClassVar[str] = ""
    """The same if the source's index or its packages are still checked."""
    source: str


class CheckOff(Unchecked):
    """One that a setting switches off."""

    setting: str


class PlainWay(Unchecked):
    says = (
        "{source} comes over an unencrypted connection and its index is not signed: anyone on the"
        " path can change it"
    )


class IndexCheckAsked(Reason):
    says = (
        "its index is signed by that key, and the host's installer will check that as well"
        " (repo_gpgcheck=1 in {source})"
    )
    source: str


class LoginInFile(Reason):
    says = "{file} contains a login, so only root can read it"
    file: str


class CheckedPackages(Reason):
    says = (
        "the index of {source} is not signed; the signatures of a few of its packages were"
        " checked instead"
    )
    source: str


class CheckedNothing(Reason):
    says = (
        "no signature of {source} could be checked: its index has none, and no package of it"
        " could be looked at"
    )
    source: str


class KeyToImport(Reason):
    says = (
        "the host's installer will ask about the key {key} ({owner}) from {address} when it first"
        " needs it"
    )
    key: str
    owner: str
    address: str


class PlainIndex(Unchecked):
    says = (
        "{source} comes over an unencrypted connection and its index is not signed, its packages"
        " are: anyone on the path can hide new versions"
    )


class ChecksKept(Reason):
    says = "left out, because you gave a key to check with: {settings}"
    settings: tuple[str, ...]


# -- catalogs ----------------------------------------------------------------------------------


class NotFor(Reason):
    """Why a place of a catalog is not for a host."""

    has: tuple[str, ...]
    here: str


class CatalogOtherKind(NotFor):
    says = "it is for hosts of kind {has}, this one is {here}"


class CatalogOtherChannel(NotFor):
    says = "it has channels {has}, not {here}"


class CatalogOtherHost(NotFor):
    says = "it is for {has}, this host is {here}"


class CatalogOtherRelease(NotFor):
    says = "it is for the releases {has}, this host is {here}"


class CatalogOtherArch(NotFor):
    says = "it is for {has}, this host is {here}"


class CatalogNoSerial(Reason):
    says = (
        "the catalog {name} has no serial number: of two versions of one day nobody can tell"
        " which is newer"
    )
    name: str


class CatalogSuggests(Reason):
    says = "the catalog suggests to let it give only {names}: {options}"
    names: tuple[str, ...]
    options: str


class MirrorChosen(Reason):
    says = "taken from {address}; there are {mirrors}"
    address: str
    mirrors: tuple[str, ...]


class NothingThere(Reason):
    says = "{source} has nothing for this host: {what}"
    source: str
    what: str
    asked: str = ""
