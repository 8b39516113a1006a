"""What host this is."""

from __future__ import annotations

from typing import TYPE_CHECKING

from velpin.model.dates import seconds_of
from velpin.model.host import HostFacts, SourceCounts

if TYPE_CHECKING:
    from velpin.model.reason import Note
    from velpin.ports.bundle import Ports


def facts(ports: Ports, notes: tuple[Note, ...]) -> HostFacts:
    """What host this is: release, architectures, how many sources and packages."""
    configuration, indexes = ports.configuration, ports.indexes
    known = [date for date in indexes.dates() if date]
    installed, held = ports.packages.count_installed()
    sources = configuration.sources
    return HostFacts(
        kind=ports.kind,
        release=configuration.release,
        arch=configuration.native,
        foreign=tuple(configuration.foreign_archs),
        installer=configuration.installer,
        sources=SourceCounts(
            on=sum(source.on for source in sources),
            off=sum(not source.on for source in sources),
            not_fetched=sum(indexes.state_of(source) == "not fetched" for source in sources),
        ),
        oldest_index=min(known, default=None),
        newest_index=max(known, default=None),
        installed=installed,
        held=held,
        notes=notes,
        support_ends=seconds_of(configuration.release.get("SUPPORT_END", "")),
    )
