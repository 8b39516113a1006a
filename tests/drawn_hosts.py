"""A drawn host of any kind, by its seed."""

from __future__ import annotations

from pathlib import Path

from tests.harbours import ALPM, DEB
from tests.installer import drawn, rpm_drawn
from tests.installer.alpm_drawn import AlpmDrawn
from tests.installer.drawn import Drawn
from tests.installer.drawn_relations import DrawnRelations
from tests.installer.rpm_drawn import RpmDrawn
from tests.program import run_on
from velpin import Host


def made_host(kind: str, seed: int, folder: Path) -> tuple[Path, tuple[str, ...]]:
    """A drawn host of a kind, its indexes fetched, and the names of its packages."""
    if kind == DEB and seed % 2:
        relations = DrawnRelations(seed, folder)
        root, names = relations.root, tuple(sorted({name for name, _ in relations.names}))
    elif kind == DEB:
        root, names = Drawn(seed, folder).root, drawn.NAMES
    else:
        made = AlpmDrawn(seed, folder) if kind == ALPM else RpmDrawn(seed, folder, kind)
        root, names = made.harbour.root, rpm_drawn.NAMES
    said = run_on(root, "refresh")
    assert said.code == 0, said.err
    return root, names


def by_name(before: Host, after: Host) -> list[tuple[object, ...]]:
    """What single answers say, name by name."""
    hosts = [host._ports for host in (before, after)]
    names = {name for host in hosts for index in host.indexes.on() for name in index.names()}
    there = set(after.packages.installed_names())
    told = [(name, *(host.answers.first(name) for host in hosts)) for name in sorted(names - there)]
    return [one for one in told if one[1] != one[2]]
