"""Random deb hosts whose packages relate to each other in every way, with a state that holds."""

from __future__ import annotations

import io
import random
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path

from tests.installer.ask import Installer, changes_of
from velpin.core.access import Access
from velpin.demo.build import stanza, text_of, write_repository
from velpin.files.tree import Tree
from velpin.front.running import run
from velpin.host.host import Host
from velpin.kinds.deb import DebPorts
from velpin.ports.view import View
from velpin.store.cache import open_cache

Fields = dict[str, str]

_BIRDS = ("gull", "tern", "auk", "skua", "knot", "ruff", "smew", "coot", "kite", "erne")
_PARTS = ("", "-doc", "-common", "-plugins")
_VIRTUAL = ("wader", "sea-view", "tide-api", "default-horn")
_NUMBERS = ("-1", "50", "100", "500", "600", "990", "1001")


class DrawnRelations:
    """One random host below a folder; `requests` in Velpin's form and in the installer's."""

    def __init__(self, seed: int, folder: Path) -> None:
        self.random = random.Random(seed)
        self.folder = folder
        self.root = folder / "root"
        pick = self.random
        self.archs = ("amd64", "i386") if pick.random() < 0.35 else ("amd64",)
        self.names = [
            (bird + part, bird)
            for bird in pick.sample(_BIRDS, pick.randint(5, 9))
            for part in _PARTS[: pick.randint(1, len(_PARTS))]
        ]
        self.nature = {name: self._nature() for name, _ in self.names}
        self.versions: dict[str, list[str]] = {}
        self._sources()
        self._state()
        self._settings()

    def put(self, name: str, text: str) -> None:
        """Write a file of the host."""
        path = self.root / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(text)

    # -- indexes -------------------------------------------------------------------------

    def _nature(self) -> Fields:
        """What stays the same from version to version, mostly."""
        pick = self.random
        fields = {
            "Architecture": pick.choice(["amd64", "amd64", "amd64", "all"]),
            "Priority": pick.choice(["optional"] * 5 + ["standard", "important", "extra"]),
        }
        if pick.random() < 0.05:
            fields["Essential"] = "yes"
        if pick.random() < 0.3:
            fields["Multi-Arch"] = pick.choice(["foreign", "same", "allowed"])
        if pick.random() < 0.4:
            name = pick.choice(_VIRTUAL)
            fields["Provides"] = name if pick.random() < 0.6 else f"{name} (= {pick.randint(1, 3)})"
            if name == "default-horn":
                fields["Conflicts"] = name
        return fields

    def _sources(self) -> None:
        pick, lines = self.random, []
        suites = ["former", "steady", "next", "vendor"][: pick.randint(2, 4)]
        self.suites = suites
        for number, suite in enumerate(suites, 1):
            rows = [self._offers(name, group, number) for name, group in self.names]
            flat = [row for offers in rows for row in offers]
            pick.shuffle(flat)
            head = {"Suite": suite, "Codename": suite, "Origin": suite.title()}
            if suite == "next" and pick.random() < 0.4:
                head["NotAutomatic"] = "yes"
            where = self.folder / "repos" / suite
            write_repository(where, suite, {"main": flat}, None, head, archs=self.archs)
            lines.append(f"deb [trusted=yes] file://{where} {suite} main\n")
        if pick.random() < 0.5:
            lines.reverse()
        self.lines = lines
        self.put("var/lib/dpkg/arch", "".join(f"{arch}\n" for arch in self.archs))

    def _offers(self, name: str, group: str, number: int) -> list[Fields]:
        pick = self.random
        if pick.random() < 0.08:
            return []
        version = f"{number}.{pick.choice([0, 0, 0, 1])}-1"
        self.versions.setdefault(name, []).append(version)
        fields = {**self._relations(name, group, number), **self.nature[name]}
        row = stanza(name, version, fields["Architecture"], "drawn")
        row |= fields
        row["Source"] = group
        if fields["Architecture"] == "all" or len(self.archs) == 1:
            return [row]
        return [row, {**row, "Architecture": "i386"}] if pick.random() < 0.6 else [row]

    def _relations(self, name: str, group: str, number: int) -> Fields:
        pick, found = self.random, {}
        own = [other for other, its in self.names if its == group and other != name]
        needs = [self._group(name, number) for _ in range(pick.choice([0, 1, 1, 2, 3]))]
        if own and pick.random() < 0.4:
            needs.insert(0, f"{pick.choice(own)} ({pick.choice(['>=', '>='])} {number}.0)")
        if needs:
            found["Depends"] = ", ".join(needs)
        for field, chance in (("Pre-Depends", 0.06), ("Recommends", 0.3), ("Suggests", 0.1)):
            if pick.random() < chance:
                found[field] = self._group(name, number)
        if pick.random() < 0.12:
            found["Breaks"] = f"{self._other(name)} (<< {number}.0)"
        if pick.random() < 0.08:
            bound = pick.choice(["", f" (<< {number}.0)", f" (>= {number + 1})"])
            found["Conflicts"] = self._other(name) + bound
        return found

    def _other(self, name: str) -> str:
        return self.random.choice([other for other, _ in self.names if other != name])

    def _group(self, name: str, number: int) -> str:
        pick = self.random
        return " | ".join(self._one(name, number) for _ in range(pick.choice([1, 1, 1, 1, 2, 3])))

    def _one(self, name: str, number: int) -> str:
        pick = self.random
        if pick.random() < 0.15:
            names = [*_VIRTUAL, *_VIRTUAL, "tide-api (>= 2)", "tide-api (= 1)", "gone"]
            return pick.choice(names)
        other = self._other(name)
        arch = pick.choice([":any"] + [""] * 12)
        low = max(1, number - pick.choice([0, 0, 1]))
        bound = pick.choice(
            [""] * 9 + [f" (>= {low}.0)"] * 7 + [f" (<< {number + 1})", f" (= {number}.0-1)"]
        )
        return other + arch + bound

    # -- what is installed ---------------------------------------------------------------

    def _state(self) -> None:
        """Install some packages of the older sources, as Velpin foresees it."""
        pick = self.random
        old = [line for line in self.lines if " former main" in line or pick.random() < 0.3]
        self.put("etc/apt/sources.list", "".join(old))
        self.put("var/lib/dpkg/status", "")
        rows: dict[tuple[str, str], Fields] = {}
        for _ in range(pick.randint(2, 9)):
            self.put("var/lib/dpkg/status", text_of(list(rows.values())).decode())
            host = self.host()
            for change in Host(host, Access()).forecast([pick.choice(self.names)[0]]).changes:
                arch = change.arch if change.arch != "all" else "amd64"
                rows.pop((change.name, arch), None)
                if change.new:
                    rows[change.name, arch] = self._recorded(host, change.name, arch, change.new)
        automatic = [f"Package: {name}\nArchitecture: {arch}\nAuto-Installed: 1\n"
                     for name, arch in rows if pick.random() < 0.5]  # fmt: skip
        self.put("var/lib/apt/extended_states", "\n".join(automatic))
        for row in rows.values():
            if pick.random() < 0.08:
                row["Status"] = "hold ok installed"
        self.put("var/lib/dpkg/status", text_of(list(rows.values())).decode())
        self.put("etc/apt/sources.list", "".join(self.lines))

    def host(self) -> DebPorts:
        """The host as it is now, with indexes read anew."""
        with redirect_stdout(io.StringIO()), redirect_stderr(io.StringIO()):
            run(["--root", str(self.root), "refresh"])
        tree = Tree(self.root)
        return DebPorts(View(tree, open_cache(tree)))

    def _recorded(self, host: DebPorts, name: str, arch: str, version: str) -> Fields:
        package = host.state.packages.named(name)[arch]
        (found,) = [one for one in package.versions if one.text == version][:1]
        text = host.state.indexes.text(found.holders[0]).decode()
        row = dict(line.split(": ", 1) for line in text.splitlines() if ": " in line)
        for field in ("Size", "Filename", "SHA256", "MD5sum", "Status"):
            row.pop(field, None)
        return {"Package": row.pop("Package"), "Status": "install ok installed", **row}

    # -- rules and requests --------------------------------------------------------------

    def _settings(self) -> None:
        pick = self.random
        if pick.random() < 0.4:
            name, group = pick.choice(self.names)
            names = pick.choice([name, f"{group}*", f"src:{group}", "*"])
            suite, number = pick.choice(self.suites), pick.choice(_NUMBERS)
            self.put(
                "etc/apt/preferences",
                f"Package: {names}\nPin: release n={suite}\nPin-Priority: {number}\n",
            )
        text = f'APT::Install-Recommends "{pick.choice(["true", "true", "false"])}";\n'
        if pick.random() < 0.1:
            text += 'APT::Install-Suggests "true";\n'
        self.put("etc/apt/apt.conf.d/10drawn", text)

    def requests(self, count: int) -> list[tuple[list[str], list[str]]]:
        """Requests in Velpin's form and in the installer's; empty for the full upgrade."""
        pick = self.random
        found: list[tuple[list[str], list[str]]] = [([], [])]
        for _ in range(count):
            names = [name for name, _ in pick.sample(self.names, pick.choice([1, 1, 1, 2, 3]))]
            if pick.random() < 0.08:
                names = [pick.choice(_VIRTUAL)]
            ours, theirs = [], []
            for name in names:
                versions = self.versions.get(name, ["9"])
                ours.append(name)
                theirs.append(name)
                if pick.random() < 0.15:
                    version = pick.choice(versions)
                    ours[-1], theirs[-1] = f"{name}@{version}", f"{name}={version}"
                elif pick.random() < 0.12:
                    suite = pick.choice(self.suites)
                    ours[-1], theirs[-1] = f"{name}%{suite}", f"{name}/{suite}"
                elif len(self.archs) > 1 and pick.random() < 0.15:
                    ours[-1] = theirs[-1] = f"{name}:i386"
            found.append((ours, theirs))
        return found

    def differing(
        self, installer: Installer, host: Host, count: int, *, along: bool = False
    ) -> list[object]:
        """Where the real installer and Velpin differ, on some requests; `along`: in the full
        upgrade."""
        different: list[object] = []
        for ours, theirs in self.requests(count):
            told = installer.transaction(
                "install" if theirs and not along else "dist-upgrade", *theirs
            )
            if told is None:
                continue
            found = host.forecast(ours, upgrade=along) if ours else host.forecast_upgrade()
            if (found.ok, changes_of(found)) != told:
                different.append((ours or "upgrade", found.problem, changes_of(found), told))
        return different
