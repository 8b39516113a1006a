"""One small host of each kind with every file that Velpin reads, and what may be damaged of it."""

from __future__ import annotations

import gzip
import hashlib
import shutil
from collections.abc import Callable
from pathlib import Path
from typing import NamedTuple

from tests.harbours import DNF, ZYPP, AlpmHarbour, DebHarbour, RpmHarbour, offer
from tests.release_packages import deb_of, rpm_of
from velpin import open_host
from velpin.demo.alpm_files import DemoArchive as AlpmPackage
from velpin.demo.alpm_files import write_alpm_repository
from velpin.demo.rpm_files import DemoRpm
from velpin.demo.signer import Signer
from velpin.front.running import run
from velpin.kinds.deb.copies import list_name

READING = (
    "host", "sources --files", "forecast gull", "forecast gull tern --why", "forecast --upgrade",
    "offers gull", "offers --from vendor", "find gull", "keys", "rules", "journal",
    "checkup --offline", "checkup --mend --preview --offline",
    "report --out PAGE", "report --json", "COMPLETE forecast g", "COMPLETE drop ",
    "shift --since PICTURE", "want tool --preview", "sources --json", "forecast --json tern tool", "host --json",
)  # fmt: skip
_CHECKING = ("checkup --offline",)
MODULES = """\
---
document: modulemd
version: 2
data: {name: tide, stream: "1", arch: x86_64, summary: s, description: d,
       license: {module: [MIT]}, artifacts: {rpms: ["auk-0:1~rc1-1.x86_64"]},
       dependencies: [{requires: {platform: [el9]}}]}
...
---
document: modulemd-defaults
version: 1
data: {module: tide, stream: "1"}
...
"""
_EXPECTED = "\n[[expect]]\npackage = 'gull'\nat_most = '9'\n\n[[expect]]\nno_removals = true\n"
PLANNING = (
    "off vendor --preview", "drop vendor --preview", "prefer vendor --over base --preview",
    "bar gull --from vendor --preview", "keep tern --preview", "undo --preview",
    "checkup --mend --offline --yes", "conform HOSTFILE --yes", "COMPLETE pin gull@",
    "add SNIPPET --preview", "add vendor --key KEY --preview", "rules drop 1 --preview",
)  # fmt: skip
FETCHING = ("refresh", "add SNIPPET --preview", "refresh --json")


class Target(NamedTuple):
    """A file that is damaged, and the commands that then read it."""

    file: Path
    commands: tuple[str, ...]
    packed: bool = False
    """Whether what is damaged is inside its compression."""


class Host(NamedTuple):
    """One host, ready to be damaged."""

    name: str
    folder: Path
    root: Path
    targets: tuple[Target, ...]

    def words(self, command: str) -> list[str]:
        """The words of a command, with its files put in."""
        files = {
            "PICTURE": "picture",
            "SNIPPET": "snippet",
            "KEY": "key.asc",
            "HOSTFILE": "host",
            "PAGE": "page.html",
        }
        ending = {"deb": ".list", "alpm": ".conf"}.get(self.name, ".repo")
        told = [
            str(self.folder / f"{files[word]}{ending if word == 'SNIPPET' else ''}")
            if word in files
            else word
            for word in command.split()
        ]
        return ["--debug", "--root", str(self.root), *told]

    def done(self, command: str) -> None:
        """Run a command that must work."""
        code = run(self.words(command))
        assert code == 0, (self.name, command, code)


def make_hosts(folder: Path, signer: Signer) -> list[Host]:
    """A host of every kind."""
    made: list[Callable[[Path, Signer], Host]] = [
        _deb, lambda at, key: _rpm(at, key, DNF), lambda at, key: _rpm(at, key, ZYPP), _alpm,
    ]  # fmt: skip
    return [make(folder / str(number), signer) for number, make in enumerate(made)]


def _deb(folder: Path, signer: Signer) -> Host:
    folder.mkdir()
    harbour = DebHarbour(folder)
    base = [offer("gull", "1", Depends="tern (>= 1)", Recommends="auk"), offer("tern", "1"),
            offer("auk", "1~rc1", Provides="bird (= 2)")]  # fmt: skip
    vendor = [offer("gull", "2", Conflicts="auk"), offer("tool", "1:3-2", Size="1000")]
    harbour.source("base", *base)
    address = harbour.repository("vendor", *vendor, signer=signer)
    harbour.put("etc/apt/keyrings/vendor.asc", signer.public)
    harbour.source_at(
        "vendor", address, signed_by="/etc/apt/keyrings/vendor.asc", arch="amd64,i386"
    )
    harbour.put("etc/apt/sources.list.d/more.sources",
                "# more\nTypes: deb\nURIs: http://more.example/more\nSuites: jetty\nComponents: main\n"
                "Enabled: no\nSigned-By: /etc/apt/keyrings/vendor.asc\n")  # fmt: skip
    harbour.put(
        "etc/apt/preferences.d/a.pref", "Package: gull\nPin: version 1*\nPin-Priority: 990\n"
    )
    harbour.put("etc/apt/apt.conf.d/10x", 'APT { Install-Recommends "true"; };\n// hm\n')
    harbour.put("etc/apt/auth.conf.d/a.conf", "machine a.example login x password y\n")
    harbour.put("etc/apt/trusted.gpg.d/all.asc", signer.public)
    harbour.installed(("tern", "1"), ("gull", "1"), ("old", "3", "hold ok installed"))
    lists = harbour.root / "var/lib/apt/lists"
    lists.mkdir(parents=True)
    suite = folder / "repos/base/dists/jetty"
    name = list_name(f"file://{folder}/repos/base/dists/jetty", "jetty")
    shutil.copy(suite / "Release", lists / f"{name}Release")
    data = gzip.decompress((suite / "main/binary-amd64/Packages.gz").read_bytes())
    (lists / f"{name}main_binary-amd64_Packages").write_bytes(data)
    other = harbour.repository("other", offer("gull", "3"), signer=signer)
    (folder / "snippet.list").write_text(
        f"deb [signed-by=/etc/apt/keyrings/vendor.asc] {other} jetty main\n"
    )
    return _ready("deb", harbour.root, folder, signer, [
        *_all(harbour.root, "etc/apt/sources.list.d", READING[:9] + PLANNING),
        *_all(harbour.root, "etc/apt/preferences.d", READING[:9] + PLANNING[2:6]),
        *_all(harbour.root, "etc/apt/apt.conf.d", READING[:9]),
        *_all(harbour.root, "etc/apt/auth.conf.d", FETCHING),
        *_all(harbour.root, "etc/apt/keyrings", ("keys", "sources", *FETCHING)),
        *_all(harbour.root, "etc/apt/trusted.gpg.d", ("keys", "sources", *FETCHING)),
        *_all(harbour.root, "var/lib/dpkg", READING[:9]),
        *_all(harbour.root, "var/lib/apt/lists", READING[:9]),
        *_all(folder, "repos", FETCHING),
    ])  # fmt: skip


def _rpm(folder: Path, signer: Signer, kind: str) -> Host:
    folder.mkdir()
    harbour = RpmHarbour(folder, kind)
    one = DemoRpm
    base = (one("gull", "1-1", requires=("tern >= 1",), recommends=("auk",)), one("tern", "1-1"),
            one("auk", "1~rc1-1", provides=("bird = 2",)))  # fmt: skip
    harbour.source("base", *base, modules=MODULES)
    repository = harbour.repository("other", one("gull", "3-1"))
    harbour.source(
        "vendor", one("gull", "2-1", conflicts=("auk",)), one("tool", "1:3-2"),
        settings="gpgcheck=1\nrepo_gpgcheck=1\ngpgkey=file:///etc/pki/rpm-gpg/vendor\n"
        "priority=90\nexclude=old*\nusername=x\npassword=y\n",
        sign=signer.detached,
    )  # fmt: skip
    harbour.put("etc/pki/rpm-gpg/vendor", signer.public)
    harbour.put("etc/dnf/dnf.conf", "[main]\ngpgcheck=0\nexcludepkgs=old\n")
    harbour.put("etc/dnf/vars/channel", "steady\n")
    harbour.put("etc/zypp/zypp.conf", "[main]\nsolver.onlyRequires = false\n")
    harbour.put("etc/zypp/locks", "type: package\nmatch_type: glob\nsolvable_name: tool\n")
    harbour.put("etc/zypp/vendors.d/a", "[main]\nvendors = a,b\n")
    harbour.installed(one("tern", "1-1"), one("gull", "1-1"), one("old", "3-1"))
    copied: list[Path] = []
    for number, cache in enumerate(("var/cache/dnf", "var/cache/zypp/raw")):
        address = f"file://{folder}/repos/base"
        mark = hashlib.sha256(address.encode()).hexdigest()[:16]
        target = harbour.root / cache / ("base" if number else f"base-{mark}") / "repodata"
        target.parent.mkdir(parents=True)
        shutil.copytree(folder / "repos/base/repodata", target)
        copied += [path for path in target.iterdir() if path.is_file()]
    (folder / "snippet.repo").write_text(
        f"# from the page\n[other]\nname=O\nbaseurl=file://{repository}\ngpgcheck=0\n"
    )
    etc = "etc/yum.repos.d" if kind == DNF else "etc/zypp/repos.d"
    return _ready(kind, harbour.root, folder, signer, [
        *_all(harbour.root, etc, READING[:9] + PLANNING),
        *_all(harbour.root, "etc/dnf", READING[:9] + PLANNING[2:6]),
        *_all(harbour.root, "etc/zypp", READING[:9] + PLANNING[2:6]),
        *_all(harbour.root, "etc/pki", ("keys", "sources", *FETCHING)),
        *_all(harbour.root, "var/lib/rpm", READING[:9]),
        *(Target(path, READING[:9], packed=path.suffix == ".gz") for path in copied),
        *_all(folder, "repos", FETCHING),
    ])  # fmt: skip


def _alpm(folder: Path, signer: Signer) -> Host:
    folder.mkdir()
    harbour = AlpmHarbour(folder, "Architecture = x86_64\nIgnorePkg = old\n")
    one = AlpmPackage
    harbour.source("base", one("gull", "1-1", depends=("tern>=1",)), one("tern", "1-1"),
                   one("auk", "1rc1-1", provides=("bird=2",)))  # fmt: skip
    harbour.source(
        "vendor", one("gull", "2-1", conflicts=("auk",)), one("tool", "1:3-2"),
        settings="SigLevel = Required TrustAll\nUsage = All\n", sign=signer.detached_binary,
    )  # fmt: skip
    import pysequoia

    certificate = bytes(pysequoia.Cert.from_bytes(signer.public))
    harbour.put("etc/pacman.d/gnupg/pubring.gpg", certificate)
    harbour.put("etc/pacman.d/mirrors", "Server = http://m.example/$repo\n")
    text = harbour.read() + "\n#[extra]\n#Include = /etc/pacman.d/mirrors\n"
    harbour.put("etc/pacman.conf", text)
    harbour.installed(one("tern", "1-1"), one("gull", "1-1"), one("old", "3-1"))
    made = write_alpm_repository(folder / "more", "other", [one("gull", "3-1")])
    (folder / "snippet.conf").write_text(f"[other]\nServer = file://{made}\nSigLevel = Optional\n")
    sync = harbour.root / "var/lib/pacman/sync"
    sync.mkdir(parents=True)
    shutil.copy(folder / "repos/base/base.db", sync / "base.db")
    return _ready("alpm", harbour.root, folder, signer, [
        Target(harbour.root / "etc/pacman.conf", READING[:9] + PLANNING),
        *_all(harbour.root, "etc/pacman.d", ("keys", "sources", *FETCHING)),
        *_all(harbour.root, "var/lib/pacman/local", READING[:9]),
        Target(sync / "base.db", READING[:9]),
        *_all(folder, "repos", FETCHING),
    ])  # fmt: skip


def _all(root: Path, inner: str, commands: tuple[str, ...]) -> list[Target]:
    files = sorted(path for path in (root / inner).rglob("*") if path.is_file())
    return [Target(path, commands) for path in files]


def _ready(name: str, root: Path, folder: Path, signer: Signer, own: list[Target]) -> Host:
    """Fetch, save a picture, make a change, and name what else is read."""
    (folder / "key.asc").write_bytes(signer.public)
    (root / "etc/velpin").mkdir(parents=True)
    (root / "etc/velpin/velpin.toml").write_text("[refresh]\nretries = 0\nread_timeout = 2.5\n")
    host = Host(name, folder, root, ())
    host.done("refresh")
    host.done("forecast gull tern")
    host.done(f"shift --save {folder / 'picture'}")
    host.done("off base --yes")
    host.done("on base --yes")
    host.done("keep tern --yes")
    host.done("forecast --upgrade")
    packages = {"vendor.deb": deb_of, "vendor.rpm": rpm_of}
    endings = {"deb": "etc/apt/sources.list.d/v.list", "alpm": "etc/v.conf"}
    snippet = next(folder.glob("snippet.*"))
    inside = endings.get(name, "etc/yum.repos.d/v.repo")
    more = [Target(snippet, ("add SNIPPET --preview",))]
    for file, made in packages.items():
        (folder / file).write_bytes(made({inside: snippet.read_bytes()}))
        more.append(Target(folder / file, (f"add {folder / file} --preview",)))
    catalog = root / "etc/velpin/catalogs/h.toml"
    catalog.parent.mkdir()
    catalog.write_text(open_host(root).catalog.write(["vendor"]))
    (folder / "host").write_text(f"{open_host(root).file.export().text}{_EXPECTED}")
    store, journal = root / "var/cache/velpin", root / "var/lib/velpin"
    more += [
        Target(folder / "picture", ("shift --since PICTURE",)),
        Target(catalog, ("catalog --all", "catalog vendor", "add vendor --preview", *_CHECKING)),
        Target(
            folder / "host",
            (
                "conform HOSTFILE --preview",
                "conform HOSTFILE --yes --anyway --prune",
                "conform HOSTFILE --preview --json",
                "expect HOSTFILE",
            ),
        ),
        Target(folder / "key.asc", ("add vendor --key KEY --preview",)),
        Target(root / "etc/velpin/velpin.toml", FETCHING),
        Target(root / "etc/os-release", READING[:4]),
        *(
            Target(path, (*READING[:9], *FETCHING, "want tool --preview"))
            for path in store.rglob("*")
            if path.is_file()
        ),
        *(
            Target(
                path, ("journal", "journal --json", "undo --preview", "host", "off vendor --yes")
            )
            for path in journal.rglob("*.json")
        ),
    ]
    return host._replace(targets=tuple(own + more))
