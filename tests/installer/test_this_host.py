"""This machine's own indexes: the real installer and Velpin about a sample of real names."""

from __future__ import annotations

import os
import random
import shutil
from pathlib import Path

import pytest

from tests.installer.ask import INSTALLER, Installer, changes_of
from velpin.core.access import Access
from velpin.files.tree import Tree
from velpin.host.host import Host
from velpin.kinds.deb import DebPorts, choice
from velpin.model.rule import Bar, Confine, Keep, Pin, Prefer, Rule
from velpin.ports.view import View
from velpin.store.cache import IndexCache

LISTS = Path("/var/lib/apt/lists")
NAMES = 300
TRANSACTIONS = int(os.environ.get("VELPIN_REAL_NAMES", "3"))
SEED = os.environ.get("VELPIN_SEED", "7")
SETTINGS = {
    "as it is": "",
    "one source low": "Package: *\nPin: release a=*stable*\nPin-Priority: 50\n",
    "by name and version": "Package: lib* python3*\nPin: version 1*\nPin-Priority: 1001\n\n"
    "Package: src:g*\nPin: release c=main\nPin-Priority: -1\n",
    "never": "Package: *\nPin: origin *\nPin-Priority: never\n\nPackage: *\nPin: release a=now\nPin-Priority: 300\n",
}

pytestmark = pytest.mark.skipif(
    INSTALLER is None or not list(LISTS.glob("*Packages*")),
    reason="this machine has no deb installer, or it has fetched no index",
)


@pytest.fixture(scope="module")
def copied(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A root with this machine's sources, fetched indexes and record of packages."""
    root = tmp_path_factory.mktemp("host") / "root"
    installer = Installer(root)
    for file in LISTS.iterdir():
        if file.is_file() and file.name != "lock":
            shutil.copy(file, root / "var/lib/apt/lists" / file.name)
    for name in ("etc/apt/sources.list.d", "usr/share/keyrings", "etc/apt/trusted.gpg.d"):
        if (Path("/") / name).is_dir():
            shutil.copytree(Path("/") / name, root / name, dirs_exist_ok=True)
    for name in ("etc/apt/sources.list", "var/lib/dpkg/status", "etc/os-release",
                 "var/lib/apt/extended_states"):  # fmt: skip
        if (Path("/") / name).is_file():
            shutil.copy(Path("/") / name, root / name)
    assert installer.root == root
    return root


def host_at(root: Path) -> DebPorts:
    tree = Tree(root)
    return DebPorts(View(tree, IndexCache([root / "store"]), True))


@pytest.mark.parametrize("setting", SETTINGS)
def test_a_sample_of_real_names(copied: Path, setting: str) -> None:
    (copied / "etc/apt/preferences").write_text(SETTINGS[setting])
    host = host_at(copied)
    pick = random.Random(setting)
    offered = pick.sample(sorted(host.state.indexes.offered_names()), NAMES)
    names = sorted({*offered, *pick.sample(host.packages.installed_names(), 100)})
    assert differing(host, Installer(copied), names) == []


def differing(host: DebPorts, installer: Installer, names: list[str]) -> list[object]:
    """Names of which the installer's table of versions is not Velpin's."""
    tables = installer.tables(*names)
    different: list[object] = []
    for name in names:
        package = host.state.packages.named(name).get(host.configuration.native)
        if package is None:
            continue
        chosen = choice.candidate(package)
        ours = (
            chosen.text if chosen else None,
            package.installed.text if package.installed else None,
            [(version.text, version.priority.value) for version in package.versions],
        )
        theirs = tables[name]
        if ours != (theirs.candidate, theirs.installed, list(theirs.versions)):
            different.append((name, ours, theirs))
    return different


@pytest.mark.parametrize("setting", SETTINGS)
def test_whole_transactions_of_real_names(copied: Path, setting: str) -> None:
    (copied / "etc/apt/preferences").write_text(SETTINGS[setting])
    pick = random.Random(f"{setting} {SEED}")
    installer = Installer(copied, ("amd64",))
    different = []
    for name in pick.sample(sorted(host_at(copied).state.indexes.offered_names()), TRANSACTIONS):
        told = installer.transaction("install", name)
        found = Host(host_at(copied), Access()).forecast([name])
        if told is not None and (found.ok, changes_of(found)) != told:
            different.append((name, found.problem, changes_of(found), told))
    print(f"{setting}: {TRANSACTIONS - len(different)} of {TRANSACTIONS}")
    assert different == []


def rules_for(host: DebPorts) -> list[Rule]:
    """One of each kind, about what this machine has."""
    pick = random.Random(SEED)
    sizes = {origin.source: index.count for origin, index in host.state.indexes.opened}
    handles = sorted(sizes, key=lambda handle: sizes[handle])[-2:]
    installed = sorted(host.packages.installed_names())
    packages = [package for n in installed for package in host.state.packages.named(n).values()]
    several = [
        one for one in packages if len(one.versions) > 1 and one.arch == host.configuration.native
    ]
    rules = [
        Keep(tuple(pick.sample(installed, 3))),
        Bar(("libp*",), source=handles[0]),
        Confine(handles[0], ("libc*", "libs*")),
    ]
    if len(handles) > 1:
        rules.append(Prefer(handles[0], (handles[1],)))
    for one in several[:1]:
        rules.append(Pin((one.name,), one.versions[-1].text, allow_older=True))
    return rules


def test_rules_on_this_host(copied: Path) -> None:
    (copied / "etc/apt/preferences").write_text("")
    installer = Installer(copied, ("amd64",))
    pick = random.Random(SEED)
    file = copied / "etc/apt/preferences.d/00velpin.pref"
    made = []
    try:
        for rule in rules_for(host_at(copied)):
            plan = Host(host_at(copied), Access()).rules.plan([rule])
            if plan.error or plan.unmet or plan.findings:
                continue
            for name, data in plan.edits.items():
                (copied / name).write_bytes(data or b"")
            made.append(rule.kind)
            host = host_at(copied)
            names = {*rule.names, *pick.sample(sorted(host.state.indexes.offered_names()), 100)}
            assert differing(host, installer, sorted(names)) == [], rule
        told, found = (
            installer.transaction("dist-upgrade"),
            Host(host_at(copied), Access()).forecast_upgrade(),
        )
        assert told is None or (found.ok, changes_of(found)) == told
    finally:
        file.unlink(missing_ok=True)
    assert {"keep", "confine"} <= set(made)


def test_the_full_upgrade_of_this_host(copied: Path) -> None:
    (copied / "etc/apt/preferences").write_text("")
    told = Installer(copied, ("amd64",)).transaction("dist-upgrade")
    found = Host(host_at(copied), Access()).forecast_upgrade()
    assert told is not None
    assert (found.ok, changes_of(found)) == told
