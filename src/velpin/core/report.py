"""What a report shows of each installed package."""

from __future__ import annotations

from typing import TYPE_CHECKING

from velpin.model.report import PackageOutlook

if TYPE_CHECKING:
    from velpin.model.shift import UpgradeResult
    from velpin.ports.bundle import Ports


def outlooks(ports: Ports, after: UpgradeResult) -> list[PackageOutlook]:
    """Every installed package, with how it would stand after the next upgrade."""
    return sorted(
        PackageOutlook(
            here.name, here.arch, here.version, here.source,
            after.selections[here.name, here.arch][1], here.held,
        )
        for here in ports.packages.installed()
    )  # fmt: skip
