"""Small made-up hosts of every kind below a folder, with the repositories their sources point to.

All are written in the same words: `source` gives a host a source with packages in it, `repository`
writes one alone, `installed` says what is installed, `refresh` fetches, `run` runs the program.
"""

from __future__ import annotations

import hashlib
import json
import time
from collections.abc import Iterable, Mapping, Sequence
from pathlib import Path
from typing import Any, NamedTuple, Self

from tests.host_files import host_files
from tests.program import Said, run_on
from velpin.demo.alpm_files import DemoArchive, write_alpm_record, write_alpm_repository
from velpin.demo.build import stanza, text_of, write_repository
from velpin.demo.rpm_files import DemoRpm, write_record, write_rpm_repository
from velpin.demo.signer import Signer
from velpin.fetch.download import FetchSettings, Transport
from velpin.files.tree import Tree
from velpin.host.host import Host
from velpin.host.opening import open_host
from velpin.kinds.alpm import AlpmPorts
from velpin.kinds.deb import DebPorts
from velpin.kinds.deb.refresh import DebFetcher, DebRefreshed
from velpin.ports.view import View
from velpin.store.cache import open_cache

DEB, DNF, ZYPP, ALPM = "deb", "rpm-dnf", "rpm-zypp", "alpm"
KINDS = (DEB, DNF, ZYPP, ALPM)
RPM = (DNF, ZYPP)
REPO_FOLDERS = {DNF: "etc/yum.repos.d", ZYPP: "etc/zypp/repos.d"}
CONF = "etc/pacman.conf"
RECORD = "var/lib/pacman/local"
"""What is installed on an alpm host."""
AUTOMATIC = "var/lib/apt/extended_states"
_OF_AN_INDEX = ("Size", "Filename", "SHA256")
"""Fields that are not written into a record."""


class Item(NamedTuple):
    """One package, whatever the kind of host."""

    name: str
    version: str
    needs: str = ""
    built_from: str = ""
    arch: str = ""
    gives: str = ""
    against: str = ""
    recommends: str = ""

    def on(self, kind: str) -> Any:
        """As the repositories and records of a kind are given it."""
        if kind in RPM:
            return self.rpm()
        return self.stanza() if kind == DEB else self.archive()

    def stanza(self) -> dict[str, str]:
        """An entry of an index of a deb host."""
        row = stanza(self.name, f"{self.version}-1", self.arch or "amd64",
                     f"{self.name} for harbours", self.needs)  # fmt: skip
        more = {"Source": self.built_from, "Provides": self.gives, "Conflicts": self.against,
                "Recommends": self.recommends}  # fmt: skip
        return {**row, **{key: value for key, value in more.items() if value}}

    def rpm(self, vendor: str = "Base") -> DemoRpm:
        """A package of an rpm host."""
        version = self.version if "-" in self.version else f"{self.version}-1"
        return DemoRpm(
            self.name, version, self.arch or "x86_64", vendor=vendor, source=self.built_from,
            requires=_one(self.needs), provides=_one(self.gives), conflicts=_one(self.against),
            recommends=_one(self.recommends),
        )  # fmt: skip

    def archive(self) -> DemoArchive:
        """A package of an alpm host."""
        return DemoArchive(
            self.name, f"{self.version}-1", arch=self.arch or "x86_64", base=self.built_from,
            depends=_one(self.needs), provides=_one(self.gives), conflicts=_one(self.against),
        )  # fmt: skip


def _one(relation: str) -> tuple[str, ...]:
    return (relation,) if relation else ()


class Harbour:
    """One host of any kind."""

    kind: str

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.root = folder / "root"

    def put(self, name: str, text: str | bytes, mode: int | None = None) -> Path:
        """Write a file of the host; its rights stay as they are where none are given."""
        path = self.root / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(text if isinstance(text, bytes) else text.encode())
        if mode is not None:
            path.chmod(mode)
        return path

    def read(self, name: str) -> str:
        """The text of a file of the host, byte for byte."""
        return (self.root / name).read_bytes().decode()

    def files(self) -> dict[str, tuple[bytes, int]]:
        """Every file of the host but Velpin's own, with its rights."""
        return {
            name: (path.read_bytes(), path.stat().st_mode)
            for name, path in host_files(self.root)
            if path.is_file()
        }

    def host(self, *, as_is: bool = False) -> Host:
        """The host, read anew, as any program opens it."""
        return open_host(self.root, as_is=as_is)

    def run(self, *words: str) -> Said:
        """Run the program on this host, with nobody at the terminal."""
        return run_on(self.root, *words)

    def done(self, *words: str) -> str:
        """Run a command that must not fail: its output."""
        code, out, err = self.run(*words)
        assert code == 0, out + err
        return out

    def refresh(self) -> Self:
        """Fetch all indexes."""
        self.done("refresh")
        return self

    def forecast(self, *words: str) -> dict[str, Any]:
        """A forecast as JSON."""
        code, out, err = self.run("forecast", "--json", *words)
        assert code in (0, 1, 3), out + err
        found: dict[str, Any] = json.loads(out)
        return found

    def changes(self, *words: str) -> dict[str, str] | None:
        """What a forecast changes: version and source, or "gone", by name, on rpm hosts with its
        architecture; None if it is refused."""
        return self.changes_in(self.forecast(*words))

    def changes_in(self, found: Mapping[str, Any]) -> dict[str, str] | None:
        """The same of a forecast that was made."""
        if not found["ok"]:
            return None
        return {
            f"{one['name']}.{one['arch']}" if self.kind in RPM else one["name"]: (
                f"{one['new']} {one['source']}" if one["new"] else "gone"
            )
            for one in found["changes"]
        }


class DebHarbour(Harbour):
    """A deb host."""

    kind = DEB

    def __init__(self, folder: Path) -> None:
        super().__init__(folder)
        self.put("etc/os-release", 'ID=mooring\nVERSION_ID="4"\nVERSION_CODENAME=jetty\n')
        self.put("var/lib/dpkg/arch", "amd64\ni386\n")
        self.put("var/lib/dpkg/status", "")

    def repository(
        self,
        name: str,
        *offers: Mapping[str, str] | tuple[str, str],
        suite: str = "jetty",
        section: str = "main",
        signer: Signer | None = None,
        fields: Mapping[str, str] | None = None,
        date: float | None = None,
        by_hash: bool = False,
        archs: Sequence[str] = ("amd64",),
    ) -> str:
        """Write one suite of a repository; gives its address."""
        rows = [offer(*one) if isinstance(one, tuple) else one for one in offers]
        head = {"Origin": name, "Suite": suite, "Codename": suite, **(fields or {})}
        write_repository(
            self.folder / "repos" / name,
            suite,
            {"" if suite.endswith("/") else section: rows},
            signer,
            head,
            archs=archs,
            by_hash=by_hash,
            date=date,
        )
        return f"file://{self.folder}/repos/{name}"

    def source(
        self,
        name: str,
        *offers: Mapping[str, str] | tuple[str, str],
        date: float | None = None,
        **fields: str,
    ) -> None:
        """A trusted source with its repository, whose head has these fields."""
        self.source_at(name, self.repository(name, *offers, fields=fields, date=date))

    def source_at(self, name: str, address: str, suite: str = "jetty", **options: str) -> None:
        """A one-line source of the host, trusted where nothing else is said."""
        named = " ".join(f"{key.replace('_', '-')}={value}" for key, value in options.items())
        section = "" if suite.endswith("/") else " main"
        line = f"deb [{named or 'trusted=yes'}] {address} {suite}{section}\n"
        self.put(f"etc/apt/sources.list.d/{name}.list", line)

    def installed(self, *packages: Mapping[str, str] | tuple[str, ...]) -> None:
        """The host's record: of each package its entry, or name, version and perhaps state."""
        self.put("var/lib/dpkg/status", record_of(map(_recorded, packages)))

    def ports(self) -> DebPorts:
        """What is read of it."""
        tree = Tree(self.root)
        return DebPorts(View(tree, open_cache(tree)))

    def refreshed(self, now: float | None = None) -> dict[str, DebRefreshed]:
        """Fetch all sources that are on, without any pause: what came of each."""
        host = self.ports()
        transport = Transport(FetchSettings(retries=0), wait=lambda _seconds: None)
        return {
            source.handle: DebFetcher(host.state).fetch(
                source, transport, clock=lambda: now or time.time()
            )
            for source in host.configuration.sources
            if source.on
        }

    def ready_ports(self) -> DebPorts:
        """What is read of it after a refresh that must succeed."""
        self.ready()
        return self.ports()

    def ready(self) -> Host:
        """The host after a refresh that must succeed."""
        for one in self.refreshed().values():
            assert one.error is None, one.error
        return self.host()


def weaken(dists: Path, signer: Signer) -> None:
    """Have a signed release file of a deb suite promise its one index by a weak digest alone."""
    release = (dists / "Release").read_text().partition("SHA256:")[0] + "MD5Sum:\n"
    data = (dists / "main/binary-amd64/Packages").read_bytes()
    release += f" {hashlib.md5(data).hexdigest()} {len(data)} main/binary-amd64/Packages\n"
    (dists / "InRelease").write_bytes(signer.clear(release.encode()))


def _recorded(package: Mapping[str, str] | tuple[str, ...]) -> Mapping[str, str]:
    if not isinstance(package, tuple):
        return package
    name, version, *state = package
    return {**offer(name, version), **({"Status": state[0]} if state else {})}


def record_of(packages: Iterable[Mapping[str, str]]) -> bytes:
    """The record of a deb host, from entries as an index has them: installed where `Status` says
    nothing else."""
    rows = []
    for package in packages:
        row = {field: text for field, text in package.items() if field not in _OF_AN_INDEX}
        name, status = row.pop("Package"), row.pop("Status", "install ok installed")
        rows.append({"Package": name, "Status": status, **row})
    return text_of(rows)


def automatic_marks(names: Iterable[str]) -> str:
    """What a deb host's installer writes down of packages that came for others."""
    return "\n".join(f"Package: {n}\nArchitecture: amd64\nAuto-Installed: 1\n" for n in names)


def offer(name: str, version: str, arch: str = "amd64", **fields: str) -> dict[str, str]:
    """One entry of an index."""
    made = stanza(name, version, arch, f"{name} for the harbour")
    return {**made, **{key.replace("_", "-"): value for key, value in fields.items()}}


class RpmHarbour(Harbour):
    """An rpm host of either layout."""

    def __init__(self, folder: Path, kind: str = DNF) -> None:
        super().__init__(folder)
        self.kind = kind
        self.sources = REPO_FOLDERS[kind]
        self.put("etc/os-release", 'NAME="Mooring"\nID=mooring\nVERSION_ID="4"\n')
        if kind == DNF:
            self.put("etc/dnf/dnf.conf", "[main]\ngpgcheck=0\n")
        else:
            self.put("etc/zypp/zypp.conf", "[main]\n")
        self.installed()

    def source(
        self, name: str, *packages: DemoRpm, settings: str = "gpgcheck=0\n", **made: Any
    ) -> Path:
        """A source with its repository, on; `settings` are further lines of its section."""
        repository = self.repository(name, *packages, **made)
        self.put(
            f"{self.sources}/{name}.repo",
            f"[{name}]\nname={name}\nbaseurl=file://{repository}\nenabled=1\n{settings}",
        )
        return repository

    def repository(self, name: str, *packages: DemoRpm, **made: Any) -> Path:
        """A repository alone."""
        return write_rpm_repository(self.folder / "repos" / name, packages, **made)

    def installed(self, *packages: DemoRpm, release: bool = True) -> None:
        """Make these the installed packages, with one that states the system's release."""
        states = DemoRpm("mooring-release", "4-1", "noarch", provides=("system-release = 4",))
        write_record(
            self.root / "var/lib/rpm/rpmdb.sqlite", [*([states] if release else []), *packages]
        )


class AlpmHarbour(Harbour):
    """An alpm host."""

    kind = ALPM

    def __init__(self, folder: Path, options: str = "Architecture = x86_64\n") -> None:
        super().__init__(folder)
        self.put("etc/os-release", 'NAME="Skiff"\nID=skiff\n')
        self.put(CONF, f"[options]\nSigLevel = Never\n{options}")
        self.installed()

    def read(self, name: str = CONF) -> str:
        """The text of a file of the host, by default of the configuration."""
        return super().read(name)

    def source(self, name: str, *packages: DemoArchive, settings: str = "", **made: Any) -> Path:
        """A source with its repository, behind those that are there; `settings` are further
        lines of its section."""
        folder = self.repository(name, *packages, **made)
        self.put(CONF, f"{self.read()}\n[{name}]\nServer = file://{folder}\n{settings}")
        return folder

    def repository(self, name: str, *packages: DemoArchive, **made: Any) -> Path:
        """A repository alone."""
        return write_alpm_repository(self.folder / "repos" / name, name, packages, **made)

    def installed(self, *packages: DemoArchive) -> None:
        """Make these the installed packages."""
        write_alpm_record(self.root / RECORD, packages)

    def ports(self) -> AlpmPorts:
        """What is read of it."""
        tree = Tree(self.root)
        return AlpmPorts(View(tree, open_cache(tree)))


def harbour_of(kind: str, folder: Path) -> DebHarbour | RpmHarbour | AlpmHarbour:
    """An empty host of a kind."""
    if kind in RPM:
        return RpmHarbour(folder, kind)
    return DebHarbour(folder) if kind == DEB else AlpmHarbour(folder)
