"""A world of plain words for the engine: no files, whole numbers for versions."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence

from velpin.kinds.deb.engine.draft import Draft
from velpin.kinds.deb.engine.marking import Marker
from velpin.kinds.deb.engine.repair import Repair
from velpin.kinds.deb.engine.world import (
    Candidate,
    Cause,
    Package,
    Relation,
    RelationKind,
    Target,
    Weights,
)

_KINDS = {
    "needs": RelationKind.REQUIRES, "likes": RelationKind.RECOMMENDS,
    "excludes": RelationKind.CONFLICTS, "breaks": RelationKind.BREAKS,
}  # fmt: skip
_TESTS = {"=": lambda a, b: a == b, ">=": lambda a, b: a >= b, "<": lambda a, b: a < b}


def target_of(text: str) -> Target:
    """`gull`, `gull>=2`, `gull<3`, `gull=1`."""
    match = re.fullmatch(r"([a-z-]+)(>=|<|=)?(\d+)?", text.strip())
    assert match is not None, text
    name, operator, version = match.groups("")
    return Target(name, "", operator, version)


class PlainTerms:
    """What the builds ask of each other."""

    def __init__(self) -> None:
        self.said_names: dict[Candidate, list[str]] = {}
        self.said_relations: dict[Candidate, list[Relation]] = {}

    def names(self, build: Candidate) -> list[str]:
        return self.said_names[build]

    def relations(self, build: Candidate) -> list[Relation]:
        return self.said_relations[build]

    def fits(self, build: Candidate, target: Target) -> bool:
        if target.name not in self.said_names[build]:
            return False
        if not target.operator:
            return True
        own = build.unit.name == target.name
        return own and _TESTS[target.operator](int(build.version), int(target.version))

    def exempt(self, owner: Candidate, relation: Relation, other: Candidate) -> bool:
        return owner.unit is other.unit

    def follows(self, relation: Relation) -> bool:
        return True


class PlainWorld:
    """Made of lines `gull 2 needs tern>=1 | auk, kite; likes smew; excludes coot; is wader`;
    installed ones begin with `+` (`!` where held, `*` where essential)."""

    def __init__(self, lines: Iterable[str]) -> None:
        self.weights = Weights()
        self.terms = PlainTerms()
        self._units: dict[str, Package] = {}
        self._builds: dict[Package, list[Candidate]] = {}
        self._essential: set[Package] = set()
        for line in lines:
            self._read(line)
        for unit, builds in self._builds.items():
            builds.sort(key=lambda build: -int(build.version))
            unit.intend(builds[0])

    def _read(self, line: str) -> None:
        marks = re.match(r"[+!*]*", line)
        assert marks is not None
        head, *parts = line[marks.end() :].split(";")
        name, version, *first = head.split(" ", 2)
        unit = self._units.setdefault(name, Package(name, ""))
        build = next((b for b in self._builds.get(unit, ()) if b.version == version), None)
        if build is None:
            build = Candidate(unit, version, "offered")
            self._builds.setdefault(unit, []).append(build)
        self.terms.said_names[build], self.terms.said_relations[build] = [name], []
        for part in [*first, *parts]:
            self._say(build, part.strip())
        if marks.group():
            unit.installed = unit.chosen = build
            unit.held = "!" in marks.group()
        if "*" in marks.group():
            self._essential.add(unit)

    def _say(self, build: Candidate, part: str) -> None:
        word, _, rest = part.partition(" ")
        for group in rest.split(","):
            if word == "is":
                self.terms.said_names[build].append(group.strip())
            else:
                targets = tuple(map(target_of, group.split("|")))
                self.terms.said_relations[build].append(Relation(_KINDS[word], targets))

    def unit(self, name: str) -> Package:
        """The unit of a name."""
        return self._units[name]

    def state(self) -> Mapping[str, str]:
        """Chosen versions by name."""
        units = self._units.values()
        return {unit.name: unit.chosen.version for unit in units if unit.chosen}

    # -- what the engine asks ------------------------------------------------------------

    def rank(self, unit: Package) -> int:
        return sorted(self._units).index(unit.name)

    def installed_units(self) -> list[Package]:
        return sorted((u for u in self._units.values() if u.installed), key=self.rank)

    def installed_holding(self, name: str) -> list[Candidate]:
        return [b for b in self._installed() if name in self.terms.said_names[b]]

    def installed_mentioning(self, name: str) -> list[Candidate]:
        return [
            b for b in self._installed()
            if any(t.name == name for r in self.terms.said_relations[b] for t in r.targets)
        ]  # fmt: skip

    def _installed(self) -> list[Candidate]:
        return [unit.installed for unit in self.installed_units() if unit.installed]

    def units(self, name: str) -> list[Package]:
        named = [unit for unit in self._units.values() if unit.name == name]
        return named + [
            unit for unit, builds in self._builds.items()
            if unit.name != name and any(name in self.terms.said_names[b] for b in builds)
        ]  # fmt: skip

    def builds(self, unit: Package) -> list[Candidate]:
        return self._builds[unit]

    def in_order(self, target: Target, builds: Iterable[Candidate]) -> list[Candidate]:
        return sorted(builds, key=lambda b: (b.unit.installed is None, b.unit.name))

    def options(self, target: Target) -> list[Candidate]:
        return [
            b
            for u in self.units(target.name)
            for b in self._builds[u]
            if self.terms.fits(b, target)
        ]

    def along(self, build: Candidate) -> Sequence[Package]:
        return ()

    def may_take(self, unit: Package, aim: Candidate) -> bool:
        return True

    def is_essential(self, unit: Package) -> bool:
        return unit in self._essential

    def is_newer(self, build: Candidate, than: Candidate) -> bool:
        return int(build.version) > int(than.version)

    def weight(self, build: Candidate) -> int:
        return -1

    def offered(self, build: Candidate) -> bool:
        return True


def asked(world: PlainWorld, *names: str) -> tuple[bool, Draft]:
    """Work out a transaction that brings some names."""
    draft = Draft(world)
    marker = Marker(draft)
    units = [world.unit(name) for name in names]
    for unit in units:
        unit.fixed = True
        marker.take(unit, Cause("asked"), follow=False, by_name=True)
    for unit in units:
        marker.take(unit, Cause("asked"), by_name=True)
    return Repair(draft, marker, units, by_upgrade=True).run(), draft
