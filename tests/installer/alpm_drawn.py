"""Random small alpm hosts: several sections, relations of every kind, something installed."""

from __future__ import annotations

import random
from collections.abc import Iterator
from pathlib import Path

from tests.harbours import AlpmHarbour
from velpin.demo.alpm_files import DemoArchive

NAMES = tuple("abcdefghijkl")
CAPABILITIES = ("tide", "fog", "swell")
GROUPS = ("crew", "deck")


class AlpmDrawn:
    """One random host; the same seed gives the same."""

    def __init__(self, seed: int, folder: Path) -> None:
        self.pick = random.Random(seed)
        self.harbour = AlpmHarbour(folder, self._options())
        self.handles = self.pick.sample(("base", "updates", "vendor", "extra"), self._few(2, 4))
        self.offered: dict[tuple[str, str], DemoArchive] = {}
        """By source and name."""
        for handle in self.handles:
            packages = list(self._packages())
            self.offered |= {(handle, package.name): package for package in packages}
            self.harbour.source(handle, *packages, settings=self._settings())
        self.here = self._installed(list(self.offered.values()))
        self.harbour.installed(*self.here)

    def _few(self, least: int, most: int) -> int:
        return self.pick.randint(least, most)

    def _sometimes(self, share: float) -> bool:
        return self.pick.random() < share

    def _options(self) -> str:
        lines = ["Architecture = x86_64"] if self._sometimes(0.8) else []
        if self._sometimes(0.3):
            lines.append(f"IgnorePkg = {self.pick.choice((*NAMES, '[a-c]', 'k*'))}")
        if self._sometimes(0.2):
            lines.append(f"IgnoreGroup = {self.pick.choice(GROUPS)}")
        return "".join(f"{line}\n" for line in lines)

    def _settings(self) -> str:
        if self._sometimes(0.75):
            return ""
        words = [word for word in ("Search", "Install", "Upgrade") if self._sometimes(0.5)]
        return f"Usage = {' '.join(('Sync', *words))}\n"

    def _packages(self) -> Iterator[DemoArchive]:
        for name in NAMES:
            if self._sometimes(0.55):
                yield self._package(name)

    def _package(self, name: str) -> DemoArchive:
        arch = "any" if self._sometimes(0.2) else "mips9" if self._sometimes(0.03) else "x86_64"
        return DemoArchive(
            name,
            self._version(),
            arch,
            depends=self._relations(0.5, 0.4),
            provides=self._provides(),
            conflicts=self._relations(0.1, 0.3),
            replaces=tuple(self.pick.sample(NAMES, 1)) if self._sometimes(0.06) else (),
            groups=(self.pick.choice(GROUPS),) if self._sometimes(0.2) else (),
        )

    def _version(self) -> str:
        epoch = "1:" if self._sometimes(0.05) else ""
        return f"{epoch}{self._few(1, 4)}-{self._few(1, 2)}"

    def _relations(self, share: float, bound: float) -> tuple[str, ...]:
        found = []
        while self._sometimes(share) and len(found) < 3:
            name = self.pick.choice((*NAMES, *CAPABILITIES))
            sign = self.pick.choice((">=", "<=", "=", "<", ">"))
            found.append(f"{name}{sign}{self._few(1, 4)}" if self._sometimes(bound) else name)
        return tuple(dict.fromkeys(found))

    def _provides(self) -> tuple[str, ...]:
        if not self._sometimes(0.35):
            return ()
        name = self.pick.choice((*CAPABILITIES, *CAPABILITIES, *NAMES))
        return (f"{name}={self._few(1, 4)}" if self._sometimes(0.5) else name,)

    def _installed(self, offered: list[DemoArchive]) -> list[DemoArchive]:
        found: dict[str, DemoArchive] = {}
        for one in self.pick.sample(offered, min(len(offered), self._few(0, 6))):
            found[one.name] = one if self._sometimes(0.4) else self._package(one.name)
        return list(found.values())

    def requests(self) -> Iterator[list[str]]:
        """Some requests, in Velpin's words; then the upgrade, alone and with the last of them."""
        for _ in range(6):
            names = self.pick.sample((*NAMES, *CAPABILITIES, *GROUPS), self._few(1, 3))
            asked = [self._dressed(name) for name in names]
            yield asked
        yield ["--upgrade"]
        yield ["--upgrade", *asked]

    def _dressed(self, name: str) -> str:
        if self._sometimes(0.15):
            name = f"{name}@{self.pick.choice(('>=', '<', ''))}{self._few(1, 4)}"
        return f"{name}%{self.pick.choice(self.handles)}" if self._sometimes(0.15) else name
