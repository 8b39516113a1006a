"""What is said of the lines of a vendor's instructions."""

from __future__ import annotations

from velpin.model.reason import Reason


class KeyFromPage(Reason):
    says = "key from {address}"
    address: str


class KeyForThisOnly(Reason):
    says = "key from {address} → for this source only, where the page takes it for all"
    address: str


class KeyFromServer(Reason):
    says = "key {fingerprint} from {server}"
    fingerprint: str
    server: str


class KeyInPage(Reason):
    says = "key, written out in it"


class SourceFromPage(Reason):
    says = "source {what}"
    what: str


class PackageFromPage(Reason):
    says = "package {address}, opened and not run"
    address: str


class RuleFromPage(Reason):
    says = "rule: {rule}"
    rule: str


class SwitchFromPage(Reason):
    says = "source {source} switched {how}"
    source: str
    how: str


class LineNotNeeded(Reason):
    says = "not needed: {why}"
    why: str


class LineNotFollowed(Reason):
    says = "not followed: {what}"
    what: str


class DoneBetter(Reason):
    says = "done in a better way: {what}"
    what: str


class LineLeftOut(Reason):
    says = "left out: {what}, {why}"
    what: str
    why: str


class Afterwards(Reason):
    says = "afterwards: {command}"
    command: str


class PlaceholderFilled(Reason):
    says = "{placeholder} is for you to fill in: {value}, as on this host"
    placeholder: str
    value: str


class DependsOn(Reason):
    says = "undecided here: {what}; read as if {answer}"
    what: str
    answer: str


class InstallsOnly(Reason):
    says = (
        "{address} brings no source; to see what installing it does: velpin forecast {address:word}"
    )
    address: str


class KeyNotForIt(Reason):
    """A key that a page takes for every source, and that is not needed for one."""

    says = "the page's key {key} ({owner}) signs nothing of this source, and is not named for it"
    key: str
    owner: str


class HttpsAnswers(Reason):
    says = "{address} answers by https as well, so that is written"
    address: str


class NotAllFollowed(Reason):
    says = "{where} was not followed, and a source, a key or a rule may be behind it: {what}"
    where: str
    what: str
