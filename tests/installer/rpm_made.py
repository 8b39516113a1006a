"""A large rpm host made up by rule: 8,000 packages on offer, both word sizes, some 700 installed.

Libraries in both word sizes with what they provide by soname, programs that need them, plug-ins
that supplement pairs, translations for a locale, replaced names, and an installed part that stands
for itself.
"""

from __future__ import annotations

import random
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

from tests.harbours import DNF, RpmHarbour
from velpin.demo.rpm_files import DemoRpm

_HEADS = ("brine", "cairn", "delta", "ebb", "fjord", "groyne", "haven", "isle", "jetty", "knot")
_TAILS = ("beam", "buoy", "cord", "deck", "flag", "gate", "hook", "lamp", "mast", "oar")
_LIBRARIES, _PROGRAMS, _PLUGINS, _TRANSLATIONS = 1100, 2200, 500, 700
_TONGUES = ("de", "fr", "it", "nl")


class MadeHost:
    """The host, in a folder; the same seed gives the same."""

    def __init__(self, seed: int, folder: Path, kind: str) -> None:
        self.pick = random.Random(seed)
        self.kind = kind
        self.harbour = RpmHarbour(folder, kind)
        self.base = [*self._base()]
        updates = [*self._newer(self.base, 0.22, "2.1-1")]
        vendor = [*self._newer(self.base, 0.06, "2.5-7", vendor="Gull Works")]
        self.harbour.source("base", *self.base)
        self.harbour.source("updates", *updates)
        self.harbour.source("vendor", *vendor, settings="gpgcheck=0\npriority=110\n")
        self.count = len(self.base) + len(updates) + len(vendor)
        if kind != DNF:
            self.harbour.put("var/lib/zypp/RequestedLocales", "de\n")
        self.installed = self._settled(70)
        self.harbour.installed(*self.installed)

    def names(self, count: int) -> list[str]:
        """Some of the names on offer."""
        return self.pick.sample(sorted({one.name for one in self.base}), count)

    def _base(self) -> Iterator[DemoRpm]:
        libraries = [self._name("lib", number) for number in range(_LIBRARIES)]
        programs = [self._name("", number) for number in range(_PROGRAMS)]
        for number, name in enumerate(libraries):
            yield from self._library(name, libraries[:number])
        for number, name in enumerate(programs):
            yield self._program(name, libraries, programs[:number])
        for number in range(_PLUGINS):
            one, other = self.pick.sample(programs, 2)
            pair = f"packageand({one}:{other})" if self.kind != DNF else f"({one} and {other})"
            yield DemoRpm(f"{one}-with-{number}", "1.0-1", requires=(one,), supplements=(pair,))
        for number in range(_TRANSLATIONS):
            one, tongue = self.pick.choice(programs), self.pick.choice(_TONGUES)
            yield DemoRpm(
                f"{one}-words{number}", "1.0-1", "noarch",
                requires=(one,), provides=(f"locale({one}:{tongue})",),
            )  # fmt: skip

    def _library(self, name: str, before: list[str]) -> Iterator[DemoRpm]:
        needs = self.pick.sample(before, min(len(before), self.pick.choice((0, 0, 1, 1, 2, 3))))
        recommends = (f"{name}-data",) if self.pick.random() < 0.08 else ()
        yield DemoRpm(
            name, "1.0-1", provides=(f"{name}.so.1()(64bit)",), recommends=recommends,
            requires=tuple(f"{one}.so.1()(64bit)" for one in needs),
        )  # fmt: skip
        if recommends:
            yield DemoRpm(f"{name}-data", "1.0-1", "noarch")
        yield DemoRpm(
            name, "1.0-1", "i686", provides=(f"{name}.so.1",),
            requires=tuple(f"{one}.so.1" for one in needs), recommends=recommends,
        )  # fmt: skip
        if self.pick.random() < 0.5:
            for arch in ("x86_64", "i686"):
                bits = "(x86-64)" if arch == "x86_64" else "(x86-32)"
                yield DemoRpm(f"{name}-devel", "1.0-1", arch, requires=(f"{name}{bits} = 1.0-1",))

    def _program(self, name: str, libraries: list[str], before: list[str]) -> DemoRpm:
        pick = self.pick
        needs = [
            f"{one}.so.1()(64bit)" for one in pick.sample(libraries, pick.choice((1, 2, 3, 5)))
        ]
        others = pick.sample(before, min(len(before), pick.choice((0, 0, 1, 2))))
        needs += others
        if before and pick.random() < 0.1:
            needs.append(f"({pick.choice(before)} or {pick.choice(before)})")
        if pick.random() < 0.1:
            needs.append(f"role({pick.choice(_TAILS)})")
        return DemoRpm(
            name, "1.0-1", requires=tuple(needs),
            provides=(f"role({pick.choice(_TAILS)})",) if pick.random() < 0.05 else (),
            recommends=(pick.choice(before),) if before and pick.random() < 0.2 else (),
            conflicts=(f"otherproviders(role({pick.choice(_TAILS)}))",)
            if self.kind != DNF and pick.random() < 0.01
            else (),
            obsoletes=(f"{pick.choice(before)} < 2",) if before and pick.random() < 0.01 else (),
            files=(f"/usr/bin/{name}",),
        )  # fmt: skip

    def _newer(
        self, packages: list[DemoRpm], share: float, version: str, vendor: str = "DebHarbour Crew"
    ) -> Iterator[DemoRpm]:
        names = sorted({one.name for one in packages})
        chosen = set(self.pick.sample(names, int(len(names) * share)))
        for one in packages:
            if one.name in chosen:
                requires = tuple(text.replace("1.0-1", version) for text in one.requires)
                yield replace(one, version=version, requires=requires, vendor=vendor)

    def _settled(self, wanted: int) -> list[DemoRpm]:
        """Some programs of the base, with all they need: nothing installed lacks anything."""
        met: dict[str, DemoRpm] = {}
        for one in self.base:
            for stated in one.relations("provides"):
                met.setdefault(stated.partition(" ")[0], one)
            met.update(dict.fromkeys(one.files, one))
        found: dict[tuple[str, str], DemoRpm] = {}
        programs = [one for one in self.base if one.files and not one.conflicts]
        for first in self.pick.sample(programs, wanted):
            waiting, taken = [first], dict(found)
            while waiting:
                one = waiting.pop()
                if (one.name, one.arch) in taken:
                    continue
                taken[one.name, one.arch] = one
                for text in one.requires:
                    plain = text.strip("()").split()[0] if text.startswith("(") else text
                    waiting.append(met[plain.partition(" ")[0]])
            if not any(one.obsoletes or one.conflicts for one in taken.values()):
                found = taken
        both = [(name, "i686") for name, arch in found if name.startswith("lib")][:20]
        for one in self.base:
            if (one.name, one.arch) in both and not one.requires:
                found[one.name, one.arch] = one
        return list(found.values())

    def _name(self, prefix: str, number: int) -> str:
        return f"{prefix}{_HEADS[number % 10]}{_TAILS[number // 10 % 10]}{number // 100}"
