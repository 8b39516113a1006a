"""Small hosts on which what is rare elsewhere is frequent: essential and protected packages, phased and
held ones, foreign architectures, several providers, vendors, modules, groups, half-installed packages.
"""

from __future__ import annotations

import random
from collections.abc import Sequence
from pathlib import Path

from tests.harbours import (
    ALPM,
    AUTOMATIC,
    DEB,
    DNF,
    AlpmHarbour,
    DebHarbour,
    Harbour,
    RpmHarbour,
    offer,
)  # fmt: skip
from tests.module_documents import default, stream
from velpin import Host
from velpin.demo.alpm_files import DemoArchive
from velpin.demo.rpm_files import DemoRpm

NAMES = ("auk", "brill", "cod", "dab", "eel", "fulmar", "gull", "hake")
VIRTUAL = ("fish", "bird")
_BOUNDS = ("", "", "", " (>= 2)", " (>= 1.5)", " (<< 2)", " (= 2-1)", " (<= 1-1)")


def world(kind: str, seed: int, folder: Path) -> Harbour:
    """One of them, its indexes fetched."""
    if kind == DEB:
        return _DebWorld(seed, folder).harbour
    return (
        _AlpmWorld(seed, folder).harbour if kind == ALPM else _RpmWorld(seed, folder, kind).harbour
    )


class _Draw:
    def __init__(self, seed: int) -> None:
        self.pick = random.Random(seed)

    def sometimes(self, share: float) -> bool:
        return self.pick.random() < share

    def one(self, *texts: str) -> str:
        return self.pick.choice(texts)


class _DebWorld(_Draw):
    def __init__(self, seed: int, folder: Path) -> None:
        super().__init__(seed)
        self.harbour = made = DebHarbour(folder)
        self.foreign = self.sometimes(0.5)
        self.versions: dict[str, list[dict[str, str]]] = {name: [] for name in NAMES}
        made.put("var/lib/dpkg/arch", "amd64\ni386\n" if self.foreign else "amd64\n")
        for place, handle in enumerate(
            self.pick.sample(("base", "fresh", "vendor"), self.pick.choice((1, 2, 2, 3)))
        ):
            self._source(handle, place)
        self._record()
        self._settings()
        made.ready()

    def _source(self, handle: str, place: int) -> None:
        rows = [row for name in NAMES if self.sometimes(0.75) for row in self._rows(name, place)]
        self.pick.shuffle(rows)
        head = {"Origin": handle, "Suite": self.one("jetty", "jetty-security", "jetty-updates")}
        if self.sometimes(0.2):
            head |= {"NotAutomatic": "yes"}
            head |= {"ButAutomaticUpgrades": "yes"} if self.sometimes(0.5) else {}
        archs = ("amd64", "i386") if self.foreign else ("amd64",)
        address = self.harbour.repository(handle, *rows, fields=head, archs=archs)
        self.harbour.source_at(handle, address)

    def _rows(self, name: str, place: int) -> list[dict[str, str]]:
        found = []
        for number in self.pick.sample((1, 2, 3), self.pick.choice((1, 1, 2))):
            arch = self.one("amd64", "amd64", "amd64", "all")
            row = offer(name, f"{number}-{self.one('1', str(place + 1))}", arch)
            row |= self._fields(name)
            found.append(row)
            if self.foreign and arch == "amd64" and self.sometimes(0.6):
                found.append({**row, "Architecture": "i386"})
        self.versions[name] += found
        return found

    def _fields(self, name: str) -> dict[str, str]:
        chances = {
            "Depends": 0.55, "Pre-Depends": 0.1, "Recommends": 0.3, "Suggests": 0.15, "Breaks": 0.12,
            "Conflicts": 0.12, "Replaces": 0.1, "Enhances": 0.05,
        }  # fmt: skip
        found = {
            field: ", ".join(self._group(name, field) for _ in range(self.pick.choice((1, 1, 2))))
            for field, chance in chances.items()
            if self.sometimes(chance)
        }
        rare = (
            ("Provides", 0.3, self.one("fish", "bird", "fish (= 1)", "bird (= 2)", "fish, bird", "auk")),
            ("Multi-Arch", 0.35, self.one("foreign", "same", "allowed")),
            ("Essential", 0.08, "yes"), ("Protected", 0.08, "yes"), ("Important", 0.05, "yes"),
            ("Phased-Update-Percentage", 0.25, self.one("0", "10", "50", "90", "100")),
            ("Priority", 0.5, self.one("required", "important", "standard", "extra")),
            ("Section", 0.4, self.one("libs", "oldlibs", "metapackages", "introspection")),
            ("Source", 0.4, self.one("auk", "shoal", "shoal (1)", "shoal (2-1)")),
        )  # fmt: skip
        return found | {field: text for field, chance, text in rare if self.sometimes(chance)}

    def _group(self, name: str, field: str) -> str:
        count = (
            1 if field in ("Breaks", "Conflicts", "Replaces") else self.pick.choice((1, 1, 2, 3))
        )
        others = [other for other in NAMES if other != name]
        return " | ".join(
            self.one(*others, *others, *VIRTUAL, "gone")
            + (self.one(":any", ":i386", ":amd64") if self.sometimes(0.08) else "")
            + self.one(*_BOUNDS)
            for _ in range(count)
        )

    def _record(self) -> None:
        rows, marks = [], []
        for name in NAMES:
            if not self.sometimes(0.45):
                continue
            row = dict(self.pick.choice(self.versions[name] or [offer(name, "1-0")]))
            if self.sometimes(0.3):
                row["Version"] = self.one("0.5-1", "2-0", "4-1")
            if self.sometimes(0.88):  # needs nothing, so that more of them stand
                row = {f: t for f, t in row.items() if "epends" not in f and f != "Conflicts"}
            row["Status"] = self.one(*["install ok installed"] * 12, "hold ok installed", "hold ok installed",
                                     "deinstall ok config-files", "install ok unpacked",
                                     "install reinstreq half-installed", "install ok half-configured",
                                     "install ok triggers-pending", "deinstall ok installed")  # fmt: skip
            rows.append(row)
            if self.sometimes(0.4):
                arch = row["Architecture"].replace("all", "amd64")
                marks.append(f"Package: {name}\nArchitecture: {arch}\nAuto-Installed: 1\n")
        self.harbour.installed(*rows)
        self.harbour.put(AUTOMATIC, "\n".join(marks))

    def _settings(self) -> None:
        lines = [
            text
            for share, text in (
                (0.2, 'APT::Install-Recommends "false";'), (0.15, 'APT::Install-Suggests "true";'),
                (0.3, f'APT::Machine-ID "{self.pick.randrange(16**8):032x}";'),
                (0.1, 'APT::Get::Always-Include-Phased-Updates "true";'),
                (0.1, 'APT::Get::Never-Include-Phased-Updates "true";'),
                (0.1, 'APT::AutoRemove::RecommendsImportant "false";'),
                (0.1, 'APT::AutoRemove::SuggestsImportant "false";'),
                (0.15, 'APT::NeverAutoRemove { "^a"; "l$"; };'),
                (0.15, 'APT::Never-MarkAuto-Sections { "metapackages"; };'),
                (0.15, f'APT::Default-Release "{self.one("jetty", "jetty-updates")}";'),
                (0.1, 'APT::Get::AutomaticRemove "true";'),
                (0.1, f'pkgCacheGen::ForceEssential "{self.pick.choice(NAMES)}";'),
                (0.1, 'APT::Solver::Strict-Pinning "false";'),
            )
            if self.sometimes(share)
        ]  # fmt: skip
        self.harbour.put("etc/apt/apt.conf.d/20world", "".join(f"{line}\n" for line in lines))
        records = [
            f"Package: {self.one(*NAMES, 'src:shoal', '*', '?u*', 'auk brill')}\n"
            f"Pin: {self.one('release o=vendor', 'release o=base', 'version 1*', 'version 2*', 'release a=jetty*')}\n"
            f"Pin-Priority: {self.one('-1', '50', '100', '500', '700', '990', '1000', '1001')}\n"
            for _ in range(self.pick.choice((0, 0, 1, 2)))
        ]
        self.harbour.put("etc/apt/preferences.d/world", "\n".join(records))


_RPM_BOUNDS = ("", "", "", " >= 2", " >= 1.5", " < 2", " = 2-1", " <= 1-1", " > 1-1")


class _RpmWorld(_Draw):
    def __init__(self, seed: int, folder: Path, kind: str) -> None:
        super().__init__(seed)
        self.kind = kind
        self.harbour = made = RpmHarbour(folder, kind)
        self.offered: list[DemoRpm] = []
        for place, handle in enumerate(
            self.pick.sample(("base", "fresh", "vendor"), self.pick.choice((1, 2, 2, 3)))
        ):
            rows = [
                row for name in NAMES if self.sometimes(0.75) for row in self._rows(name, place)
            ]
            self.offered += rows
            modules = self._modules(rows) if kind == DNF and place == 0 else ""
            made.source(handle, *rows, settings=self._section(), modules=modules)
        made.installed(*self._installed())
        self._settings()
        made.refresh()

    def _rows(self, name: str, place: int) -> list[DemoRpm]:
        found = []
        for number in self.pick.sample((1, 2, 3), self.pick.choice((1, 1, 2))):
            version = self.one("", "", "", "", "1:") + f"{number}-{self.one('1', str(place + 1))}"
            arch = self.one("x86_64", "x86_64", "x86_64", "noarch")
            row = self._row(name, version, arch)
            found.append(row)
            if arch == "x86_64" and self.sometimes(0.3):
                found.append(self._row(name, version, "i686"))
        return found

    def _modules(self, rows: list[DemoRpm]) -> str:
        """Modules of some of the packages, with streams that need one another."""
        if not self.sometimes(0.4):
            return ""
        found = []
        names = self.pick.sample(NAMES, 3)
        for name in names:
            mine = [row for row in rows if row.name in (name, NAMES[0])]
            for number in (1, 2):
                evrs = [(row, *row.evr) for row in self.pick.sample(mine, min(len(mine), 2))]
                rpms = ", ".join(f"{row.name}-{e}:{v}-{r}.{row.arch}" for row, e, v, r in evrs)
                needs = f"m{self.pick.choice(names)}=[{self.one('', '1', '2', '-1', '3')}]"
                more = {"needs": needs} if self.sometimes(0.4) else {}
                found.append(stream(f"m{name}", number, rpms=rpms, **more))
            found += [default(f"m{name}", self.pick.choice((1, 2)))] if self.sometimes(0.5) else []
            if self.sometimes(0.4):
                state = self.one("enabled", "enabled", "disabled")
                said = "" if state == "disabled" else self.one("1", "2", "3")
                self.harbour.put(f"etc/dnf/modules.d/m{name}.module",
                                 f"[m{name}]\nname=m{name}\nstream={said}\nprofiles=\nstate={state}\n")  # fmt: skip
        return "".join(found)

    def _row(self, name: str, version: str, arch: str) -> DemoRpm:
        def some(chance: float, *, rich: bool = False) -> tuple[str, ...]:
            count = self.pick.choice((1, 1, 2)) if self.sometimes(chance) else 0
            return tuple(self._need(name, rich) for _ in range(count))

        stated = self.one("fish", "bird", "fish = 1", "bird = 2", f"{self.pick.choice(NAMES)} = 2")
        provides = (stated,) if self.sometimes(0.3) else ()
        if name == "hake":
            provides = (*provides, "installonlypkg(hake)", "kernel")
        return DemoRpm(
            name, version, arch,
            requires=some(0.5, rich=True), provides=provides,
            conflicts=some(0.1, rich=True), obsoletes=some(0.1), recommends=some(0.25, rich=True),
            suggests=some(0.15), supplements=some(0.12, rich=True), enhances=some(0.08),
            files=(f"/usr/bin/{name}",) if self.sometimes(0.4) else (),
            vendor=self.one("Harbour Crew", "Harbour Crew", "Gull Works"),
            source=self.one("", "", "shoal"),
            built=1_700_000_000 + self.pick.randrange(5),
        )  # fmt: skip

    def _need(self, name: str, rich: bool) -> str:
        others = [other for other in NAMES if other != name]

        def plain() -> str:
            return self.one(*others, *others, *VIRTUAL, "gone") + self.one(*_RPM_BOUNDS)

        if rich and self.sometimes(0.25):
            word = self.one("or", "or", "and", "if", "unless", "with", "without")
            inner = f"({plain()} {word} {plain()})"
            if word == "if" and self.sometimes(0.4):
                inner = f"({inner[1:-1]} else {plain()})"
            return inner
        return f"/usr/bin/{self.pick.choice(others)}" if self.sometimes(0.08) else plain()

    def _installed(self) -> list[DemoRpm]:
        found = []
        for name in NAMES:
            if not self.sometimes(0.4):
                continue
            mine = [row for row in self.offered if row.name == name and row.arch != "i686"]
            row = (
                self.pick.choice(mine)
                if mine and self.sometimes(0.6)
                else self._row(name, "0.5-1", "x86_64")
            )
            if self.sometimes(0.7):
                row = DemoRpm(name, row.version, row.arch, provides=row.provides, vendor=row.vendor,
                              source=row.source, files=row.files, built=row.built)  # fmt: skip
            found.append(row)
            if name == "hake" and self.sometimes(0.5):
                found.append(DemoRpm(name, "0.4-1", row.arch, provides=row.provides))
        return found

    def _section(self) -> str:
        lines = ["gpgcheck=0"]
        lines += (
            [f"priority={self.one('10', '50', '98', '99', '100')}"] if self.sometimes(0.5) else []
        )
        lines += [f"cost={self.one('500', '1000', '1500')}"] if self.sometimes(0.2) else []
        if self.kind == DNF:
            lines += [f"excludepkgs={self.pick.choice(NAMES)}"] if self.sometimes(0.15) else []
            lines += [f"includepkgs={self._globs()}"] if self.sometimes(0.1) else []
        return "\n".join(lines) + "\n"

    def _globs(self) -> str:
        return self.one("a*,b*,c*,d*", "?u*", "*l,auk", "[a-f]*")

    def _settings(self) -> None:
        made = self.harbour
        if self.kind != DNF:
            lines = [
                text
                for share, text in (
                    (0.2, "solver.onlyRequires = true"), (0.2, "solver.allowVendorChange = true"),
                    (0.15, "solver.dupAllowVendorChange = false"),
                    (0.15, "solver.dupAllowDowngrade = false"),
                    (0.15, "solver.dupAllowArchChange = false"),
                    (0.3, "multiversion = provides:multiversion(kernel)"),
                    (0.3, "multiversion = hake"),
                )
                if self.sometimes(share)
            ]  # fmt: skip
            made.put("etc/zypp/zypp.conf", "\n".join(["[main]", *lines]) + "\n")
            locks = [
                f"type: package\nmatch_type: glob\ncase_sensitive: on\nsolvable_name: {name}\n{more}"
                for name, more in (
                    (self.pick.choice(NAMES), ""),
                    (self.pick.choice(NAMES), "version: > 1\n"),
                    ("?u*", "repo: vendor\n"),
                )
                if self.sometimes(0.15)
            ]
            made.put("etc/zypp/locks", "\n".join(locks))
            made.put(
                "var/lib/zypp/AutoInstalled",
                "".join(f"{n}\n" for n in NAMES if self.sometimes(0.3)),
            )
            return
        lines = [
            text
            for share, text in (
                (0.3, f"best={self.one('0', '1')}"), (0.2, "install_weak_deps=0"),
                (0.2, "allow_vendor_change=0"), (0.15, "obsoletes=0"), (0.15, f"excludepkgs={self._globs()}"),
                (0.3, "installonly_limit=2"), (0.3, "installonlypkgs=hake"),
                (0.15, "exclude_from_weak=auk brill"), (0.15, "multilib_policy=all"),
                (0.2, "clean_requirements_on_remove=0"), (0.15, "protected_packages=cod"),
            )
            if self.sometimes(share)
        ]  # fmt: skip
        made.put("etc/dnf/dnf.conf", "\n".join(["[main]", "gpgcheck=0", *lines]) + "\n")
        if self.sometimes(0.2):
            made.put("etc/dnf/protected.d/world.conf", f"{self.pick.choice(NAMES)}\n")
        if self.sometimes(0.2):
            made.put("etc/dnf/plugins/versionlock.list",
                     f"{self.one('', '!')}{self.pick.choice(NAMES)}-0:{self.one('1-1', '2-1', '2-*')}.*\n")  # fmt: skip


class _AlpmWorld(_Draw):
    def __init__(self, seed: int, folder: Path) -> None:
        super().__init__(seed)
        options = [
            text
            for share, text in (
                (0.9, "Architecture = x86_64"), (0.2, f"IgnorePkg = {self.one(*NAMES, '?u*', 'auk brill')}"),
                (0.15, f"IgnoreGroup = {self.one('crew', 'deck')}"), (0.15, f"HoldPkg = {self.one(*NAMES)}"),
            )
            if self.sometimes(share)
        ]  # fmt: skip
        self.harbour = made = AlpmHarbour(folder, "".join(f"{line}\n" for line in options))
        offered: list[DemoArchive] = []
        for handle in self.pick.sample(("base", "fresh", "vendor"), self.pick.choice((1, 2, 2, 3))):
            rows = [self._row(name) for name in NAMES if self.sometimes(0.7)]
            offered += rows
            words = " ".join(self.pick.sample(("Search", "Install", "Upgrade"), 2))
            made.source(
                handle, *rows, settings=f"Usage = Sync {words}\n" if self.sometimes(0.2) else ""
            )
        here = [
            self.pick.choice([row for row in offered if row.name == name] or [self._row(name)])
            if self.sometimes(0.5) else self._row(name)
            for name in NAMES if self.sometimes(0.45)
        ]  # fmt: skip
        made.installed(*here)
        made.refresh()

    def _row(self, name: str) -> DemoArchive:
        def some(chance: float) -> tuple[str, ...]:
            count = self.pick.choice((1, 1, 2)) if self.sometimes(chance) else 0
            others = [other for other in NAMES if other != name]
            return tuple(
                self.one(*others, *others, *VIRTUAL, "gone")
                + self.one("", "", "", ">=2", "<2", "=2", "<=1-1", ">1-1")
                for _ in range(count)
            )

        return DemoArchive(
            name, f"{self.one('', '', '', '', '1:')}{self.pick.randint(1, 3)}-{self.pick.randint(1, 2)}",
            self.one("x86_64", "x86_64", "x86_64", "any", "any", "mips9" if self.sometimes(0.2) else "any"),
            depends=some(0.5), conflicts=some(0.12), optional=some(0.1),
            provides=(self.one("fish", "bird", "fish=1", "bird=2", *NAMES),) if self.sometimes(0.35) else (),
            replaces=(self.one(*NAMES),) if self.sometimes(0.1) else (),
            groups=tuple(self.pick.sample(("crew", "deck"), self.pick.choice((1, 2)))) if self.sometimes(0.3) else (),
            as_dependency=self.sometimes(0.3), base=self.one("", "", "shoal"),
        )  # fmt: skip


def requests(host: Host, seed: int) -> Sequence[list[str]]:
    """Some requests that mean something on one of these hosts."""
    pick = random.Random(-seed)
    found = [[name] for name in (*pick.sample(NAMES, 5), pick.choice(VIRTUAL))]
    for _ in range(6):
        words = []
        for name in pick.sample(NAMES, pick.choice((1, 2))):
            offered = host.packages.offers([name])
            one = pick.choice(offered) if offered else None
            version, source = (one.version, one.source) if one else ("1-1", "base")
            forms = (
                "",
                f"@{version}",
                f"@{version}",
                f"%{source}",
                "@>=2",
                "@<2",
                ":i386",
                ":i686",
            )
            words.append(name + pick.choice(forms))
        found.append(words)
    return found
