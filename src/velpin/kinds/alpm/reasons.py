"""Reasons that only alpm hosts give."""

from __future__ import annotations

from velpin.model.reason import Place, Reason

# -- why it wins -------------------------------------------------------------------------------


class Taken(Reason):
    """What is taken, for what was asked for."""

    package: str
    name: str
    version: str
    source: str


class StandsFirst(Taken):
    says = (
        "{source} comes before {others}, and the first source that has it wins, whatever the"
        " version"
    )
    others: tuple[str, ...]


class FirstWithin(Taken):
    says = "you asked for {asked}, and {source} is the first source that has such a version"
    asked: str


class GoesDown(Taken):
    says = "the host's installer takes it although the installed {installed} is newer"
    installed: str


class Again(Taken):
    says = "{version} is installed already; asked for by name, it is installed again"


class SectionAsked(Taken):
    says = "{version} is what {source} has"


class InGroup(Taken):
    says = "{package} is in the group {name}"


class ProviderInstalled(Taken):
    says = "{package} is installed, so it is preferred over others that provide {name}"


class NeededOtherwise(Taken):
    says = (
        "another package that you asked for needs {name} {version} from {source}; by itself it"
        " would be {asked}"
    )
    asked: str


class DroppedFor(Reason):
    says = (
        "{package} would be installed, conflicts with it and provides it: the host's installer"
        " silently leaves {name} out"
    )
    package: str
    name: str


# -- why an offer was passed over --------------------------------------------------------------


class StandsLater(Reason):
    says = "{source} comes before it"
    source: str
    version: str
    package: str


class NewerStandsLater(Reason):
    says = "newer, but {source} comes before it and has {version}"
    source: str
    version: str
    package: str


class NotItsUsage(Reason):
    says = "the Usage of {source} excludes installing"
    source: str


class ProviderNotInstalled(Reason):
    says = "{package} is installed and is preferred"
    package: str
    source: str
    version: str


class LaterName(Reason):
    says = "{package} is preferred by its name"
    package: str
    source: str
    version: str


class IsIgnored(Reason):
    says = "{name} is ignored at {place}"
    name: str
    place: Place


class IsIgnoredGroup(Reason):
    says = "{name} is in {group}, which is ignored at {place}"
    name: str
    group: str
    place: Place


class TakenAlready(Reason):
    says = "{name} {version} has been chosen already, and choices are not reconsidered"
    name: str
    version: str


# -- why a request is refused ------------------------------------------------------------------


class NoSourceCalled(Reason):
    says = "no source is called {source}{near}"
    source: str
    near: str


class AskedTwice(Reason):
    says = (
        "you asked for {name} from {source} and from {other}; the host's installer takes one"
        " package of a name"
    )
    name: str
    source: str
    other: str


class WrongArchAsked(Reason):
    says = (
        "{name} {version} from {source} is for {arch}, and this host takes {archs}; no other"
        " source is tried"
    )
    name: str
    version: str
    source: str
    arch: str
    archs: tuple[str, ...]


class NoSourceOn(Reason):
    says = "no source is enabled, so the host's installer refuses"


class NotForRequests(Reason):
    says = "{sources} has {name}, but its Usage excludes installing; {name}%SOURCE takes it anyway"
    sources: tuple[str, ...]
    name: str


class PathIn(Reason):
    says = "the host's installer takes no file paths; {name} is in {packages}"
    name: str
    packages: tuple[str, ...]


class PathUnknown(Reason):
    says = (
        "the host's installer takes no file paths, and no file list here has {name}; velpin"
        " refresh --files fetches file lists"
    )
    name: str


class ConflictsTogether(Reason):
    says = "some of the packages conflict with each other"


class ConflictsThere(Reason):
    says = "it conflicts with an installed package"


class BreaksThere(Reason):
    says = "installed packages would break"


class ConflictComing(Reason):
    says = (
        "{name} {version} and {other} {other_version} would both be installed and conflict"
        " ({relation})"
    )
    name: str
    version: str
    other: str
    other_version: str
    relation: str


class ConflictInstalled(Reason):
    says = (
        "{name} {version} conflicts with the installed {other} {other_version} ({relation}); the"
        " installer will ask whether to remove {other}, and the default is no"
    )
    name: str
    version: str
    other: str
    other_version: str
    relation: str


class WouldBreak(Reason):
    says = "the installed {name} {version} needs {relation}, which {other} {then} does not meet"
    name: str
    version: str
    relation: str
    other: str
    then: str


class WouldLose(Reason):
    says = "the installed {name} {version} needs {relation}, and {other} would be removed"
    name: str
    version: str
    relation: str
    other: str


# -- ways out ----------------------------------------------------------------------------------


class AskFirst(Reason):
    says = "asks for {name} first: choices are made in order and not reconsidered"
    name: str


# -- upgrades left for later ---------------------------------------------------------------------


class PartialUpgrade(Reason):
    says = (
        "a partial upgrade: {count} installed {packages} would stay behind the lists of this{helps}"
    )
    count: int
    names: tuple[str, ...]
    """What was asked for, quoted; empty if that cannot come along with the upgrade."""
    risks: int
    """How many packages may not fit each other; the first few are the causes."""

    @property
    def packages(self) -> str:
        """What stays behind, in a word."""
        return "package" if self.count == 1 else "packages"

    @property
    def helps(self) -> str:
        """What brings all of it together, for the end of a sentence."""
        words = " ".join(self.names)
        return f"; velpin forecast --upgrade {words} brings all of it together" if words else ""


class BuiltForNewer(Reason):
    says = (
        "{name} {version} needs {other}: {installed} stays, and it may have been built for {newer}"
    )
    name: str
    version: str
    other: str
    installed: str
    newer: str


class UserLeftBehind(Reason):
    says = "{name} {version} needs {other}, which becomes {then}; {name} {newer} was built for that"
    name: str
    version: str
    other: str
    then: str
    newer: str


# -- questions of the host's installer ---------------------------------------------------------


class ChoosesProvider(Reason):
    says = "choose what provides {name}: {providers}; the first is {package}"
    name: str
    providers: tuple[str, ...]
    package: str


class TakesIgnored(Reason):
    says = "install {name} although it is ignored ({place})"
    name: str
    place: Place
    group: str = ""


class ReplacesInstalled(Reason):
    says = "replace {name} with {package} from {source}"
    name: str
    package: str
    source: str


class ChoosesMembers(Reason):
    says = "choose among the {count} packages of {name}"
    count: int
    name: str
