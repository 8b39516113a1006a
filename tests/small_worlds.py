"""Worlds so small that every set of packages can be tried, and the same world as a host of a kind.

A world is what is offered and what is installed. `World.stands` says what any installer must leave
behind, and nothing of how one chooses.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from itertools import product
from pathlib import Path
from typing import NamedTuple

from hypothesis import strategies as st

from tests.harbours import AUTOMATIC, AlpmHarbour, DebHarbour, RpmHarbour, automatic_marks, offer
from velpin.demo.alpm_files import DemoArchive
from velpin.demo.rpm_files import DemoRpm

NAMES = ("auk", "coot", "gull", "knot", "skua", "tern")
VIRTUAL = ("wader", "diver")
SIGNS: Mapping[str, Callable[[int, int], bool]] = {
    "": lambda _one, _other: True, ">=": lambda one, other: one >= other,
    "<": lambda one, other: one < other, "=": lambda one, other: one == other,
}  # fmt: skip


class Want(NamedTuple):
    """A name, and which versions of it will do."""

    name: str
    sign: str = ""
    version: int = 0

    def met_by(self, build: Build) -> bool:
        """Whether a build is what is meant; what it merely provides has no version."""
        if build.name == self.name:
            return SIGNS[self.sign](build.version, self.version)
        return self.name in build.provides and not self.sign


class Build(NamedTuple):
    """One version of a package."""

    name: str
    version: int
    needs: tuple[tuple[Want, ...], ...] = ()
    """Of each, one of several."""
    excludes: tuple[Want, ...] = ()
    provides: tuple[str, ...] = ()


State = Mapping[str, Build]
"""What is installed, by name."""


class World(NamedTuple):
    """One source, and what is installed."""

    offered: tuple[Build, ...]
    installed: tuple[Build, ...]
    automatic: frozenset[str] = frozenset()
    held: frozenset[str] = frozenset()

    @property
    def now(self) -> State:
        """What is installed."""
        return {build.name: build for build in self.installed}

    @property
    def best_offered(self) -> State:
        """Of each name the highest version that is offered."""
        return {one.name: one for one in sorted(self.offered, key=lambda one: one.version)}

    def known(self, name: str) -> list[Build]:
        """Every build of a name, the highest version first."""
        found = {b.version: b for b in (*self.offered, *self.installed) if b.name == name}
        return sorted(found.values(), key=lambda build: -build.version)

    @staticmethod
    def stands(state: State) -> bool:
        """Whether nothing lacks anything, and nothing stands beside what it excludes."""
        for build in state.values():
            others = [other for other in state.values() if other.name != build.name]
            if any(want.met_by(other) for want in build.excludes for other in others):
                return False
            for group in build.needs:
                if not any(want.met_by(other) for want in group for other in state.values()):
                    return False
        return True


def states(choices: Mapping[str, Sequence[Build | None]]) -> Iterator[State]:
    """Every way to choose for each name, of those that stand."""
    names = list(choices)
    for chosen in product(*choices.values()):
        state = {name: build for name, build in zip(names, chosen, strict=True) if build}
        if World.stands(state):
            yield state


# -- drawing one ---------------------------------------------------------------------------


@st.composite
def worlds(draw: st.DrawFn, *, several: bool = True, bounds: bool = True) -> World:
    """A world whose installed packages stand. Without `several` a need has one way; without
    `bounds` versions play no part and nothing is excluded."""
    chance = draw(st.randoms(use_true_random=False)).random

    def want(own: str, share: float) -> Want:
        names = [name for name in (*NAMES, *VIRTUAL) if name != own]
        name = names[int(chance() * len(names))]
        if name in VIRTUAL or not bounds or chance() < share:
            return Want(name)
        return Want(name, (">=", "<", "=", ">=")[int(chance() * 4)], 1 + int(chance() * 3))

    def build(name: str, version: int) -> Build:
        count = int(chance() * 3)
        needs = tuple(
            tuple(want(name, 0.5) for _ in range(1 + (several and int(chance() * 3))))
            for _ in range(count)
        )
        excludes = (want(name, 0.3),) if bounds and chance() < 0.25 else ()
        provides = (VIRTUAL[chance() < 0.5],) if chance() < 0.3 else ()
        return Build(name, version, needs, excludes, provides)

    offered = [build(name, version) for name in NAMES for version in (1, 2, 3) if chance() < 0.55]
    installed: dict[str, Build] = {}
    for name in NAMES:
        if chance() < 0.6:
            mine = [one for one in offered if one.name == name]
            here = mine[int(chance() * len(mine))] if mine and chance() < 0.7 else None
            installed[name] = here or build(name, int(chance() * 3))
    offered = [  # one version of one name is one build
        one for one in offered
        if one.name not in installed
        or one.version != installed[one.name].version
        or one is installed[one.name]
    ]  # fmt: skip
    while not World.stands(installed):
        names = list(installed)
        del installed[names[int(chance() * len(names))]]
    automatic = frozenset(name for name in installed if chance() < 0.4)
    held = frozenset(name for name in installed if chance() < 0.08)
    return World(tuple(offered), tuple(installed.values()), automatic, held)


# -- as a host -----------------------------------------------------------------------------


def deb_host(world: World, folder: Path, *, newer: bool = True) -> DebHarbour:
    """The world as a deb host of either generation."""
    harbour = DebHarbour(folder)
    harbour.source("base", *[_stanza(one) for one in world.offered])
    rows = [_stanza(one) for one in world.installed]
    rows += [offer("apt", "3.1.16" if newer else "2.6.1")]
    held = [
        {**row, "Status": "hold ok installed"} if row["Package"] in world.held else row
        for row in rows
    ]
    harbour.installed(*held)
    harbour.put(AUTOMATIC, automatic_marks(sorted(world.automatic)))
    harbour.ready()
    return harbour


def _stanza(build: Build) -> dict[str, str]:
    def text(want: Want) -> str:
        sign = want.sign.replace("<", "<<")
        return f"{want.name} ({sign} {want.version})" if sign else want.name

    fields = {
        "Depends": ", ".join(" | ".join(map(text, group)) for group in build.needs),
        "Conflicts": ", ".join(map(text, build.excludes)),
        "Provides": ", ".join(build.provides),
    }
    return offer(build.name, str(build.version), **{k: v for k, v in fields.items() if v})


def rpm_host(world: World, folder: Path, kind: str) -> RpmHarbour:
    """The world as an rpm host of a layout."""
    harbour = RpmHarbour(folder, kind)
    harbour.source("base", *(_rpm(one) for one in world.offered))
    harbour.installed(*(_rpm(one) for one in world.installed))
    return harbour.refresh()


def _rpm(build: Build) -> DemoRpm:
    def text(want: Want) -> str:
        return f"{want.name} {want.sign} {want.version}" if want.sign else want.name

    def joined(group: tuple[Want, ...]) -> str:
        texts = [text(want) for want in group]
        return texts[0] if len(texts) == 1 else f"({' or '.join(texts)})"

    return DemoRpm(
        build.name, f"{build.version}-1", requires=tuple(map(joined, build.needs)),
        conflicts=tuple(map(text, build.excludes)), provides=build.provides,
    )  # fmt: skip


def alpm_host(world: World, folder: Path) -> AlpmHarbour:
    """The world as an alpm host: of each name the highest version alone is offered."""
    harbour = AlpmHarbour(folder)
    harbour.source("base", *(_archive(one) for one in world.best_offered.values()))
    harbour.installed(*(_archive(one) for one in world.installed))
    return harbour.refresh()


def _archive(build: Build) -> DemoArchive:
    def text(want: Want) -> str:
        return f"{want.name}{want.sign}{want.version}" if want.sign else want.name

    return DemoArchive(
        build.name, f"{build.version}-1", depends=tuple(text(group[0]) for group in build.needs),
        conflicts=tuple(map(text, build.excludes)), provides=build.provides,
    )  # fmt: skip
