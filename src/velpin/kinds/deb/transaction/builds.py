"""What is asked of one build of a package, and of the place of its architecture."""

from __future__ import annotations

from typing import TYPE_CHECKING

from velpin.kinds.deb.choice import DebVersion

if TYPE_CHECKING:
    from collections.abc import Sequence

    from velpin.kinds.deb.engine.world import Candidate, Package
    from velpin.store.index import Row


def arch_field(build: Candidate) -> str:
    """The architecture field of a build (`all` stays `all`)."""
    offer = build.offer
    row: Row = (offer.holders[0] if isinstance(offer, DebVersion) else offer).row
    return row.arch


def arch_place(archs: Sequence[str], unit: Package) -> int:
    """The place of a unit's architecture among the host's; behind them where it is none."""
    return archs.index(unit.arch) if unit.arch in archs else len(archs)
