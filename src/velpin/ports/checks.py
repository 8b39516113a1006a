"""Findings and their mends as checks hand them over, and what a kind's own check may ask."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from functools import partial
from typing import TYPE_CHECKING, NamedTuple, Protocol

from velpin.change.plan import Plan
from velpin.model import findings
from velpin.model.reason import Reason

if TYPE_CHECKING:
    from velpin.fetch.download import Transport
    from velpin.model.finding import Severity
    from velpin.model.findings import FindingKind
    from velpin.model.reason import Place
    from velpin.model.source import Source
    from velpin.ports.bundle import Ports
    from velpin.ports.examiner import Examiner
    from velpin.ports.packages import Installed
    from velpin.store.cache import FetchFailure
    from velpin.trust.named import NamedKeys

Make = Callable[["Ports"], Plan]
"""Makes the change that mends something, for a state of the host."""


class Mend(NamedTuple):
    """One way to mend a finding."""

    command: str
    """As it is typed; empty where only the checkup itself can do it."""
    make: Make | None
    """The change; None for a command that changes no file of the host, and is not tried."""
    is_choice: bool = False


class SwitchOff(NamedTuple):
    """To switch a source off, which somebody has to decide."""

    handle: str


class Draft(NamedTuple):
    """One finding before its mends were tried."""

    kind: type[FindingKind]
    what: Reason
    """What is told of this case."""
    place: Place | None = None
    source: str = ""
    subject: str = ""
    """Tells findings of one code and source apart."""
    mends: Sequence[Mend | SwitchOff] = ()
    """The best first."""
    advice: Reason | None = None
    severity: Severity | None = None
    """If it is not the severity of its kind."""
    why: str = ""
    """Why it matters, if that is not the reason of its kind."""

    @property
    def key(self) -> tuple[str, str, str]:
        """What it is known by, whatever lines it stands on."""
        return self.kind.code, self.source, self.subject


class Look(Protocol):
    """What a check of one kind of host may ask of the checkup that it is part of."""

    transport: Transport | None
    """None if no server may be asked."""

    @property
    def examiner(self) -> Examiner:
        """What only this kind of host knows."""

    @property
    def publishers(self) -> dict[str, str]:
        """Who publishes each source, by handle."""

    @property
    def sources_on(self) -> list[Source]:
        """The sources that are on and can be fetched, in the order of reading."""

    @property
    def installed(self) -> list[Installed]:
        """Every installed package."""

    def ask(self, source: Source) -> Transport | None:
        """Return what asks the server of a source; None if none may be asked."""

    def failure(self, source: Source) -> FetchFailure | None:
        """Return why the last fetch of a source failed."""

    def named_keys(self, source: Source) -> NamedKeys:
        """Return the keys that a source's configuration names."""

    def is_home(self, handle: str) -> bool:
        """Return whether a source is one of the distribution's own."""


Check = Callable[[Look], Iterable[Draft]]


def removing(file: str) -> Make:
    """Removes a file."""
    return partial(_removed, file)


def _removed(file: str, ports: Ports) -> Plan:
    plan = Plan("", f"remove /{file}")
    plan.propose(ports.tree, {file: None})
    return plan


def nothing_for(source: Source, here: str, has: str) -> Draft:
    """A source that has nothing for the architectures of a host."""
    what = findings.OtherArch(source=source.handle, arch=here, has=has)
    mends = [SwitchOff(source.handle)]
    return Draft(findings.OtherArch, what, source.places[0], source.handle, "", mends)
