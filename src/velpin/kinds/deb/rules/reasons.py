"""Reasons that only rules of deb hosts give."""

from __future__ import annotations

from velpin.model.reason import Reason
from velpin.model.rule_reasons import KeepsAsIs

_GOES_BACK = 1000
_MEANINGS = (
    (_GOES_BACK, "it wins even with an older version"),
    (501, "it wins over ordinary sources"),
    (500, "as an ordinary source"),
    (101, "it gives way to ordinary sources"),
    (100, "it only upgrades what was installed from it"),
    (1, "only for packages that no other source has"),
    (-40000, "never"),
)
"""What the priority of a whole source means, by the least priority for it."""


class StillBelow(Reason):
    says = "{other} would still win over {source}; it has priority {priority}"
    other: str
    source: str
    priority: int


class NotConfined(Reason):
    says = "{source} would still provide everything, at priority {priority}"
    source: str
    priority: int


class NeverComes(Reason):
    says = "not even {name} would come from {source}, which has priority {priority}"
    name: str
    source: str
    priority: int


class NeverTaken(Reason):
    says = "{name} {version} would not be installed: it has priority {priority}"
    name: str
    version: str
    priority: int


class OtherWins(Reason):
    says = "the host would install {name} {chosen}, not {version}, because of priority {priority}"
    name: str
    chosen: str
    version: str
    priority: int


class SameElsewhere(Reason):
    says = (
        "{first} has exactly the same {name} {version} and is listed before {source}: the host"
        " downloads it from there, whatever the rules"
    )
    first: str
    name: str
    version: str
    source: str


class NothingUnfinished(Reason):
    says = "{source} has no such version or component today"
    source: str


class SameFromFirst(Reason):
    says = (
        "{source} is listed before {other}, which has exactly the same versions: the host would"
        " still download these from there: {names}"
    )
    source: str
    other: tuple[str, ...]
    names: tuple[str, ...]


class BarredToo(Reason):
    says = (
        "pre-releases of {names} from {source} are barred as well: the host cannot limit a"
        " version pattern to one source"
    )
    names: tuple[str, ...]
    source: str


class RuleLeft(Reason):
    says = "{rule} would no longer decide anything; to take it back as well: {lift}"
    rule: str
    lift: str


class LeftWithout(Reason):
    says = (
        "{name} could no longer be installed: it needs {lacking} from the same source; to allow"
        " that: {command}"
    )
    name: str
    lacking: tuple[str, ...]
    command: str


class RecordSays(Reason):
    """What a record of preferences says."""

    sources: str
    priority: int

    @property
    def meaning(self) -> str:
        """What the priority of a whole source means."""
        return next(told for least, told in _MEANINGS if self.priority >= least)

    @property
    def older(self) -> str:
        """That it goes back to an older version, for the end of a sentence."""
        return ", even if that is a downgrade" if self.priority >= _GOES_BACK else ""


class SaysSource(RecordSays):
    says = "{sources} has priority {priority}: {meaning}"


class SaysSourceNever(RecordSays):
    says = "nothing comes from {sources}"


class SaysInstalled(RecordSays):
    says = "installed versions have priority {priority}: {meaning}"


class SaysPin(RecordSays):
    says = "pin {names} to {version}{older}"
    names: str
    version: str


class SaysPinSource(RecordSays):
    says = "pin {names} to {sources} with priority {priority}{older}"
    names: str


class SaysKeep(RecordSays, KeepsAsIs):
    says = "keep {names} as installed, with priority {priority}"
    names: str


class SaysBarVersion(RecordSays):
    says = "bar {names} in version {version}"
    names: str
    version: str


class SaysTarget(Reason):
    says = "prefer the release {target} ({sources})"
    target: str
    sources: str


class SaysHold(Reason):
    says = "keep {names}: on hold"
    names: str


class SaysNothing(Reason):
    says = "{what}"
    what: str


class RuleNoVersion(Reason):
    says = "no source has {names} in version {version}"
    names: str
    version: str
