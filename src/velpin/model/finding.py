"""What a checkup finds, as values."""

from __future__ import annotations

from typing import Annotated, Literal, NamedTuple

from velpin.model.forecast import HeldBack
from velpin.model.reason import Inline, Place, Reason, Sentence
from velpin.model.rule import RuleInForce

Severity = Literal["error", "warning", "hint"]
"""How bad it is: something fails or cannot be trusted now; something is wrong and will bite; worth
knowing, and may be meant."""
SEVERITIES: tuple[Severity, ...] = ("error", "warning", "hint")


class Finding(NamedTuple):
    """One thing that was found on a host."""

    number: int
    """Its place in the list, from 1."""
    code: str
    """Stable; docs/findings.md has a section for each."""
    severity: Severity
    source: str
    """The source that it is about; empty where it is about the host."""
    place: Place | None
    """Where in the host's files it stands."""
    text: Sentence
    why: str
    """Why it matters."""
    mend: str | None
    """The command that mends it; it was tried."""
    is_choice: bool
    """Whether mending it decides something that the administrator may want otherwise."""
    advice: Sentence | None
    """What helps where no command of Velpin's can mend it."""


class SilencedFinding(NamedTuple):
    """A finding that is meant, as the settings say."""

    finding: Annotated[Finding, Inline]
    reason: str
    """Why it is meant."""


class Checkup(NamedTuple):
    """All that was found on a host, the worst first."""

    findings: tuple[Finding, ...] = ()
    silenced: tuple[SilencedFinding, ...] = ()
    sources: int = 0
    """How many sources were looked at."""
    asked: tuple[str, ...] = ()
    """The sources whose servers were asked."""

    @property
    def is_wrong(self) -> bool:
        """Whether anything is worse than a hint."""
        return any(finding.severity != "hint" for finding in self.findings)


NextState = Literal["has", "stays", "lacks", "unknown", "off"]


class NextOutlook(NamedTuple):
    """What a source has for another release."""

    source: str
    state: NextState
    """It has that release; nothing of it names one, and it is still there; it has none; it could
    not be asked; it is switched off and was not asked."""
    now: str
    """Its address and suite."""
    then: str
    """What these would have to be."""
    problem: Sentence | None = None


class Handover(NamedTuple):
    """An installed package that would come from another publisher."""

    name: str
    arch: str
    installed: str
    source: str
    version: str
    next_source: str


class Rehearsal(NamedTuple):
    """What the move to another release would do; nothing of it was made."""

    release: str
    sources: tuple[NextOutlook, ...]
    change_hands: tuple[Handover, ...] = ()
    stay_behind: tuple[str, ...] = ()
    """Installed packages that would be in no source and are in one now."""
    removed: tuple[str, ...] = ()
    kept_back: tuple[HeldBack, ...] = ()
    rules: tuple[RuleInForce, ...] = ()
    """Those that would stop deciding anything."""
    upgraded: int = 0
    """How many installed packages would change their version."""
    download_bytes: int = 0
    problem: Sentence | None = None
    """Why the installer would refuse it."""
    because: tuple[Reason, ...] = ()

    @property
    def needs_work(self) -> bool:
        """Whether something is to be done or asked first."""
        lacking = any(each.state in ("lacks", "unknown") for each in self.sources)
        left = self.change_hands or self.stay_behind or self.removed or self.kept_back
        return bool(lacking or left or self.rules or self.problem)
