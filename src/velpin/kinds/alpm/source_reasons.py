"""Reasons about sources that only alpm hosts give."""

from __future__ import annotations

from velpin.model.reason import Reason
from velpin.model.source_reasons import CheckOff


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
