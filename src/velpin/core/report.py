"""Everything that a report shows of a host, gathered once; nothing is fetched or changed."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import TYPE_CHECKING

from velpin.core.snapshot import Snapshot
from velpin.model.report import HostReport, PackageOutlook

if TYPE_CHECKING:
    from velpin.core.host import Host
    from velpin.ports.bundle import Ports


def make_report(
    host: Host,
    ports: Ports,
    since: Snapshot | None,
    clock: Callable[[], float] = time.time,
) -> HostReport:
    """A host at one glance; `since` is an earlier snapshot to compare it with."""
    return HostReport(
        time=clock(),
        facts=host.facts(),
        sources=tuple(host.source_statuses()),
        rules=tuple(host.rules()),
        packages=tuple(_outlooks(host, ports)),
        upgrade=host.forecast_upgrade(),
        checkup=host.checkup(offline=True),
        keys=tuple(host.keys()),
        publishers={
            source.handle: ports.provenance.publisher_of(source)
            for source in ports.configuration.sources
        },
        since=since.time if since else None,
        drift=tuple(host.drift(since)) if since else (),
    )


def _outlooks(host: Host, ports: Ports) -> list[PackageOutlook]:
    after = host.after_upgrade().selections
    return sorted(
        PackageOutlook(
            here.name, here.arch, here.version, here.source,
            after[here.name, here.arch][1], here.held,
        )
        for here in ports.packages.installed()
    )  # fmt: skip
