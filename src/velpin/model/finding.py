"""What a checkup finds, as values."""

from __future__ import annotations

from typing import Annotated, Literal, NamedTuple

from velpin.model.reason import Inline, Place, Sentence

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
