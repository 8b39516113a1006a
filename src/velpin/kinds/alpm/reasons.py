"""Reasons that only alpm hosts give."""

from __future__ import annotations

from velpin.model.reason import Place, Reason
from velpin.model.reasons import CheckOff


class LoginForAll(Reason):
    says = "everybody who can read {file} can read the login in the address"
    file: str


class CheckOffNever(CheckOff):
    says = "signatures of {source} are not checked ({setting})"


class CheckOffOptional(CheckOff):
    says = "indexes or packages of {source} may be unsigned ({setting})"


class CheckOffAnyKey(CheckOff):
    says = "any key in the host's keyring may sign for {source} ({setting})"


class ListOfOther(Reason):
    says = (
        "its index is identical to that of {other}: signatures cannot tell them apart, so make"
        " sure that the address is the right one"
    )
    other: str
    source: str


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


# -- rules that do not hold --------------------------------------------------------------------


class StillStandsLater(Reason):
    says = "{other} would still come before {source}"
    other: str
    source: str


class ComesUnasked(Reason):
    says = "{name} would still come from {source} without being asked for"
    name: str
    source: str


# -- what a rule says --------------------------------------------------------------------------


class SaysIgnore(Reason):
    says = "keep {names}: ignored in upgrades and as dependencies"
    names: str


class SaysIgnoreGroup(Reason):
    says = "keep the packages of {names}: ignored in upgrades and as dependencies"
    names: str


class SaysUsage(Reason):
    says = "{sources} is only used to {uses}"
    sources: str
    uses: str


# -- why a rule decides nothing ----------------------------------------------------------------


class RuleNamesNobody(Reason):
    says = "no source is called {source} any more"
    source: str


# -- questions of the host's installer ---------------------------------------------------------


class WillAskProvider(Reason):
    says = (
        "the installer will ask which package should provide {name}: {providers}; the default is"
        " the first, {package}"
    )
    name: str
    providers: tuple[str, ...]
    package: str


class WillAskIgnored(Reason):
    says = (
        "the installer will ask whether to install {name} although it is ignored ({place}); the"
        " default is yes"
    )
    name: str
    place: Place
    group: str = ""


class WillAskReplace(Reason):
    says = (
        "the installer will ask whether to replace {name} with {package} from {source}; the"
        " default is yes"
    )
    name: str
    package: str
    source: str


class WillAskMembers(Reason):
    says = (
        "the installer will ask which of the {count} packages of {name} to install; the default"
        " is all"
    )
    count: int
    name: str


# -- notes -------------------------------------------------------------------------------------


class NoListThere(Reason):
    says = (
        "{source} has nothing for this host: {what}; a source's name must be that of its index,"
        " so ask the vendor for it"
    )
    source: str
    what: str


class ListNotSigned(Reason):
    says = "the index of {source} is not signed; its packages must be, with this key"
    source: str


class RingMustKnow(Reason):
    says = (
        "signatures of {source} are checked against the host's keyring: the installer refuses"
        " what no trusted key in it signed; add one with --key FILE-or-URL"
    )
    source: str


class KeyForSection(Reason):
    says = (
        "the key is added to the host's keyring but not trusted there; only {source} accepts it,"
        " along with any other key in the keyring"
    )
    source: str
