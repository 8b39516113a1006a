"""Random small rpm hosts: several sources, relations of every kind, something installed."""

from __future__ import annotations

import random
from collections.abc import Iterator
from pathlib import Path

from tests.harbours import DNF, RpmHarbour
from velpin.demo.rpm_files import DemoRpm
from velpin.kinds.rpm.version import compare

NAMES = tuple("abcdefghijkl")
CAPABILITIES = ("tide", "fog", "swell")
VENDORS = ("DebHarbour Crew", "Gull Works")


class RpmDrawn:
    """One random host; the same seed gives the same."""

    def __init__(self, seed: int, folder: Path, kind: str) -> None:
        self.pick = random.Random(seed)
        self.harbour = RpmHarbour(folder, kind)
        self.kind = kind
        self._configure()
        handles = self.pick.sample(("base", "updates", "vendor", "extra"), self.pick.randint(2, 4))
        self.offered: list[DemoRpm] = []
        for place, handle in enumerate(handles):
            packages = list(self._packages(place))
            self.offered += packages
            self.harbour.source(handle, *packages, settings=self._settings())
        self.here = self._installed()
        self.harbour.installed(*self.here)

    def _configure(self) -> None:
        lines = ["[main]", "gpgcheck=0"]
        if self.kind == DNF:
            lines += [f"best={int(self.pick.random() < 0.4)}"]
            lines += ["install_weak_deps=0"] if self.pick.random() < 0.2 else []
            lines += ["allow_vendor_change=0"] if self.pick.random() < 0.2 else []
            self.harbour.put("etc/dnf/dnf.conf", "\n".join(lines) + "\n")
            return
        lines = ["[main]"]
        lines += ["solver.onlyRequires = true"] if self.pick.random() < 0.2 else []
        lines += ["solver.allowVendorChange = true"] if self.pick.random() < 0.3 else []
        self.harbour.put("etc/zypp/zypp.conf", "\n".join(lines) + "\n")
        if self.pick.random() < 0.3:
            name = self.pick.choice(NAMES)
            self.harbour.put(
                "etc/zypp/locks", f"type: package\nmatch_type: glob\nsolvable_name: {name}\n"
            )

    def _settings(self) -> str:
        lines = ["gpgcheck=0"]
        number = self.pick.choice((None, None, 10, 50, 50, 99, 120))
        lines += [f"priority={number}"] if number is not None else []
        if self.kind == DNF and self.pick.random() < 0.2:
            lines += [f"excludepkgs={self.pick.choice(NAMES)}*"]
        return "\n".join(lines) + "\n"

    def _packages(self, place: int) -> Iterator[DemoRpm]:
        for name in self.pick.sample(NAMES, self.pick.randint(6, 11)):
            for number in sorted(self.pick.sample(range(1, 5), self.pick.choice((1, 1, 2)))):
                yield self._package(name, f"{number}-{place + 1}")

    def _package(self, name: str, version: str) -> DemoRpm:
        pick = self.pick
        arch = "noarch" if pick.random() < 0.15 else "x86_64"
        others = [one for one in NAMES if one != name]

        def some(chance: float, *texts: str) -> tuple[str, ...]:
            return tuple(text for text in texts if pick.random() < chance)

        def need() -> str:
            one, other = pick.sample(others, 2)
            bound = pick.choice((">=", ">=", "=", "<=", "<"))
            forms = [
                one,
                one,
                one,
                f"{one} {bound} {pick.randint(1, 4)}",
                pick.choice(CAPABILITIES),
            ]
            forms += [
                f"({one} or {other})",
                f"({one} if {other})",
                f"{pick.choice(CAPABILITIES)} >= 2",
            ]
            return pick.choice(forms)

        provided = pick.choice(CAPABILITIES)
        stated = pick.choice((provided, f"{provided} = {pick.randint(1, 3)}"))
        return DemoRpm(
            name, version, arch,
            requires=some(0.4, need(), need()),
            provides=some(0.35, stated),
            conflicts=some(0.06, pick.choice((need().strip("()").split()[0], f"{pick.choice(others)} < 3"))),
            obsoletes=some(0.06, pick.choice((pick.choice(others), f"{pick.choice(others)} < 3"))),
            recommends=some(0.15, pick.choice(others)),
            suggests=some(0.1, pick.choice(others)),
            supplements=some(0.08, pick.choice(others)),
            vendor=VENDORS[pick.random() < 0.3],
            built=1_700_000_000 + pick.randint(0, 9) * 1000,
        )  # fmt: skip

    def _installed(self) -> list[DemoRpm]:
        """Some packages, older or as offered, of which none lacks what it needs."""
        found: dict[str, DemoRpm] = {}
        for name in self.pick.sample(NAMES, self.pick.randint(2, 6)):
            mine = [one for one in self.offered if one.name == name]
            if mine and self.pick.random() < 0.6:
                found[name] = self.pick.choice(mine)
            else:
                found[name] = DemoRpm(name, f"{self.pick.randint(0, 3)}.5-1", vendor=VENDORS[0])
        while broken := [n for n, one in found.items() if not self._stands(one, found)]:
            del found[broken[0]]
        return list(found.values())

    def _stands(self, one: DemoRpm, among: dict[str, DemoRpm]) -> bool:
        others = [other for other in among.values() if other is not one]
        for text in (*one.conflicts, *one.obsoletes):
            if any(_means(text, other) for other in others):
                return False
        return all(
            not text.startswith("(") and any(_means(text, other) for other in among.values())
            for text in one.requires
        )

    def requests(self) -> list[list[str]]:
        """Some requests, the full upgrade last."""
        found = [[name] for name in self.pick.sample(NAMES, 5)]
        found.append(self.pick.sample(NAMES, 2))
        return [["install", *one] for one in found]


def _means(text: str, other: DemoRpm) -> bool:
    name, _, bound = text.partition(" ")
    for stated in other.relations("provides"):
        what, _, version = stated.partition(" = ")
        if what != name:
            continue
        if not bound:
            return True
        sign, _, wanted = bound.partition(" ")
        if not version:
            continue
        order = compare(version.partition("-")[0], wanted.partition("-")[0])
        if {"<": order < 0, "<=": order <= 0, "=": order == 0, ">=": order >= 0, ">": order > 0}[
            sign
        ]:
            return True
    return False
