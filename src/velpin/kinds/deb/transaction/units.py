"""What is asked of one package or build of a deb host, beside what the engine asks."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

from velpin.kinds.deb.choice import DebVersion

if TYPE_CHECKING:
    from velpin.kinds.deb.engine.world import Candidate, Package
    from velpin.kinds.deb.transaction.world import DebWorld


def missing_essentials(world: DebWorld) -> list[Package]:
    """Essential packages of the sources of which nothing is installed."""
    found = [world.units_of(name)[0] for name in missing_essential_names(world)]
    return sorted(found, key=world.rank)


def missing_essential_names(world: DebWorld) -> list[str]:
    """Names of essential packages of the sources of which nothing is installed."""
    return [
        name
        for name in sorted(world.essential_names)
        if (units := world.units_of(name)) and not any(unit.chosen for unit in units)
    ]


def label(world: DebWorld, unit: Package) -> str:
    """A unit's name, with its architecture where that is not the host's first."""
    return (
        unit.name if unit.arch == world.state.configuration.native else f"{unit.name}:{unit.arch}"
    )


def is_phased_out(world: DebWorld, build: Candidate) -> bool:
    """Whether a build is given to some hosts only so far, and not to this one."""
    package = world.package_of(build.unit)
    if package is None or not isinstance(build.offer, DebVersion):
        return False
    return not build.offer.installed and world.state.packages.phasing.holds_back(
        package, build.offer
    )


def is_automatic(world: DebWorld, unit: Package) -> bool:
    """Whether it was installed for others only."""
    return (unit.name, unit.arch) in world.state.packages.automatic


def is_root(world: DebWorld, unit: Package) -> bool:
    """Whether it serves a purpose whatever it was installed for."""
    build = unit.chosen
    return (
        unit.name in world.essential_names
        or (build is not None and world.terms.facts(build).essential)
        or any(re.search(pattern, unit.name) for pattern in world.ways.never_removed)
    )


def build_of(world: DebWorld, unit: Package, version: DebVersion) -> Candidate:
    """The build that stands for a version."""
    return next(build for build in world.builds(unit) if build.offer is version)
