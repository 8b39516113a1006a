"""Reasons about sources that only rpm hosts give."""

from __future__ import annotations

from velpin.model.reason import Place, Reason
from velpin.model.source_reasons import CheckOff


class CheckOffPackages(CheckOff):
    says = "packages of {source} are installed without a signature ({setting})"
    why_half = "only the signed index vouches for its packages"


class CheckOffIndex(CheckOff):
    says = "the index of {source} is accepted without a signature ({setting})"
    why_half = "packages are checked, but somebody can hide new versions or offer old ones"


class CheckOffServer(CheckOff):
    says = "any server can pose as that of {source} ({setting})"
    why = "any server can pose as this source: what is not signed can be changed"


class ServiceWrites(Reason):
    says = (
        "{source} belongs to the service {service}, which writes it anew when it is refreshed:"
        " whether it is on and its signature checks survive that, its priority, name and address"
        " do not"
    )
    source: str
    service: str


class OthersWrite(Reason):
    says = "{place} says: {what}"
    place: Place
    what: str


class VariableNotSet(Reason):
    says = "{source} has nothing for this host: nothing here sets ${name}{near}"
    source: str
    name: str
    near: str
    """The end of the sentence: names that may have been meant."""


class NoKeyNamed(Reason):
    says = (
        "{source} has its package signatures checked but no key here is named for it: the host's"
        " installer will ask for one or refuse; name one with --key FILE-or-URL"
    )
    source: str
