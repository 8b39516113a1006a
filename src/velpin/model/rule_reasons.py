"""Reasons that the rules of several kinds of host give."""

from __future__ import annotations

from velpin.errors import ending_in_near
from velpin.model.reason import FromSource, Place, Reason


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
    says = "{source} has no package called {name}{meant}"
    source: str
    name: str
    near: tuple[str, ...] = ()

    @property
    def meant(self) -> str:
        """Names like it, for the end of a sentence."""
        return ending_in_near(self.near)


class NoSuchName(Reason):
    says = "no source has a package called {name}, and none is installed{meant}"
    name: str
    near: tuple[str, ...] = ()

    @property
    def meant(self) -> str:
        """Names like it, for the end of a sentence."""
        return ending_in_near(self.near)


class NoSuchVersion(FromSource):
    says = "no source has {name} in version {version}{from_source}{others}"
    name: str
    version: str
    near: tuple[str, ...] = ()

    @property
    def others(self) -> str:
        """The newest versions, for the end of a sentence."""
        return f"; it comes in {', '.join(self.near)}" if self.near else ""


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


class LetIn(Reason):
    says = "{package} {version} needs {relation}, which {source} has"
    package: str
    version: str
    relation: str
    source: str


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
