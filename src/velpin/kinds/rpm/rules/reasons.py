"""Reasons that only rules of rpm hosts give."""

from __future__ import annotations

from velpin.model.reason import Reason, listed
from velpin.model.rule_reasons import KeepsAsIs


class StillNotOver(Reason):
    says = "{source} would still not win over {other}, which has priority {priority}"
    source: str
    other: str
    priority: int


class KeptOut(Reason):
    says = "{name} would not come from {source}"
    name: str
    source: str


class OtherComes(Reason):
    says = "{name} would still come in version {chosen}, not {version}"
    name: str
    chosen: str
    version: str


class NeverThere(Reason):
    says = "{name} would no longer be available: no source has {version}"
    name: str
    version: str


class NeverGoesBack(Reason):
    says = (
        "{name} {installed} is installed, and no rule on this kind of host downgrades it to"
        " {version}; asking for that version by name does"
    )
    name: str
    installed: str
    version: str


class StaysAsItIs(Reason):
    says = "{name} would stay as it is instead of changing to {version}"
    name: str
    version: str


class SaysPriority(Reason):
    says = "{sources} has priority {priority}; the lowest wins"
    sources: str
    priority: int


class SaysOnly(Reason):
    says = "{sources} provides only {names}"
    sources: str
    names: str


class SaysOneVendor(Reason):
    says = "vendors that begin with one of these count as one: {vendors}"
    vendors: tuple[str, ...]


class StayWithVendor(Reason):
    says = (
        "kept with another vendor: {names}; what moves them to {source}: velpin forecast --upgrade"
        " --from {source:word}"
    )
    source: str
    names: tuple[str, ...]


class SaysLock(KeepsAsIs):
    says = "lock {names}{bound}{only_from}: neither installed nor removed nor changed"
    names: str
    version: str
    sources: tuple[str, ...]

    @property
    def bound(self) -> str:
        """The version, if it names one."""
        return f" {self.version}" if self.version else ""

    @property
    def only_from(self) -> str:
        """The sources, if it names some."""
        return f" from {listed(self.sources)}" if self.sources else ""


class SaysOnlyVersion(KeepsAsIs):
    says = "only {names} of that name"
    names: str


class SaysNever(Reason):
    says = "never {names}"
    names: str
