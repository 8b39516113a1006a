"""Reasons about sources that only deb hosts give."""

from __future__ import annotations

from velpin.model.reason import Reason
from velpin.model.source_reasons import CheckOff


class LoginApart(Reason):
    says = "the login from the address goes into {file}, which only root can read"
    file: str


class CheckOffTrusted(CheckOff):
    says = "{source} is accepted without any signature ({setting})"


class CheckOffInsecure(CheckOff):
    says = "{source} is accepted even if it is not signed ({setting})"


class CheckOffWeak(CheckOff):
    says = "weak signatures and checksums of {source} are accepted ({setting})"
    why = "a digest that can be forged is taken for proof"


class CheckOffDowngrade(CheckOff):
    says = "{source} may stop being signed without an error ({setting})"
    why = "the source can lose its signature, and nothing says so"


class CheckOffExpiry(CheckOff):
    says = "an expired index of {source} is accepted ({setting})"
    why = "somebody can go on offering an old index, with known security faults"


class CheckOffDate(CheckOff):
    says = "the date of {source}'s index is not checked ({setting})"
    why = "an index with a date yet to come is taken"


class NoSuite(Reason):
    says = "{source} has no suite {asked}; it has {has}; try --suite {better}"
    source: str
    asked: str
    has: tuple[str, ...]
    better: str


class WrongRelease(Reason):
    says = (
        "{source} is made for {asked}, this host is {here}, and the source also has {better}; add"
        " --suite {better}"
    )
    source: str
    asked: str
    here: str
    better: str
