"""Reasons about a source: what it has, who signed it, which catalog has it."""

from __future__ import annotations

from typing import ClassVar

from velpin.model.reason import Reason


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


class ReleaseTaken(Reason):
    """Which release of a repository is meant of which only the address was given."""

    says = "the repository has {has}; {release} is taken (--suite takes another)"
    release: str
    has: tuple[str, ...]


class ComponentsTaken(Reason):
    says = "the repository has the components {has}; {taken} is taken (--component takes others)"
    taken: tuple[str, ...]
    has: tuple[str, ...]


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
