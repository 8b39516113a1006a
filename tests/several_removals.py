"""Hosts on which several packages are to go for what comes."""

from __future__ import annotations

from pathlib import Path
from typing import NamedTuple

from tests.harbours import DNF, RpmHarbour
from velpin.demo.rpm_files import DemoRpm as P


class Several(NamedTuple):
    """A request with several packages that are to go, and what is said to type."""

    title: str
    words: str
    older: tuple[str, ...]
    newer: tuple[str, ...]

    def harbour(self, folder: Path) -> RpmHarbour:
        """The host: two packages in the way, one that needs what only the new ones have else."""
        harbour = RpmHarbour(folder, DNF)
        here = P("gull"), P("tern"), P("egg"), P("nest", requires=("egg",)), P("twig")
        new = P("skua", conflicts=("gull",)), P("crane"), P("rook", provides=("egg",))
        harbour.source("base", *here, *new, P("heron", requires=("gull",)))
        harbour.installed(*here)
        return harbour.refresh()


ROWS = [
    Several(
        "two go, one comes", "skua --without gull --without tern",
        ("dnf remove --noautoremove gull tern", "dnf install skua"),
        ("dnf do --action=remove gull tern --action=install skua",),
    ),
    Several(
        "one goes, two come", "skua crane --without gull",
        ("dnf remove --noautoremove gull", "dnf install skua crane"),
        ("dnf do --action=remove gull --action=install skua crane",),
    ),
    Several(
        "one goes, one comes", "skua --without gull", ("dnf swap gull skua",),
        ("dnf swap gull skua",),
    ),
    Several(
        "what stays needs what comes, so none can go first", "rook --without egg --without tern",
        (), ("dnf do --action=remove egg tern --action=install rook",),
    ),
    Several(
        "a version of what comes", "skua@1.0 --without gull --without tern",
        ("dnf remove --noautoremove gull tern", "dnf install skua-1.0-1"),
        ("dnf do --action=remove gull tern --action=install skua-1.0-1",),
    ),
    Several(
        "one that goes is needed by what comes", "heron --without gull --without tern", (), (),
    ),
]  # fmt: skip
