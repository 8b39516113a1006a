"""Real installers are asked, and left without an answer: what they ask is what was foreseen."""

from __future__ import annotations

import os
import re
import shlex
import shutil
import subprocess
from collections.abc import Mapping
from pathlib import Path
from typing import Any, NamedTuple

import pytest

from tests.harbours import DNF, ZYPP, DebHarbour, RpmHarbour
from tests.installer.ask import INSTALLER, Installer
from tests.installer.newer_ask import NewerInstaller, NewerRpmInstaller
from tests.installer.rpm_ask import PROGRAMS, RealInstaller
from tests.installer.rpm_built import built
from tests.question_cases import ROWS, Row
from velpin.demo.signer import Signer

pytestmark = pytest.mark.slow
rows = pytest.mark.parametrize("row", ROWS, ids=lambda row: row.title)


def told_by_forecast(harbour: DebHarbour, request: str, *more: str) -> tuple[bool, set[str]]:
    found = harbour.forecast(*shlex.split(request), *more)
    asked: list[dict[str, Any]] = found["questions"]
    return any(q["default"] in ("yes", "no") for q in asked), {
        q["allowed_by"] for q in asked if q["allowed_by"]
    }


def told_by_installer(installer: Installer, row: Row) -> tuple[bool, set[str]]:
    """Whether it asks something, and the options it names one after the other."""
    wants: list[str] = []
    for way in ("-s", "--download-only"):  # neither looks at everything; neither changes anything
        named = ["-y"]
        while named:
            words = ("apt-get", "-q", "-y", way, *wants, "install", *shlex.split(row.request))
            said = installer.run(*words).stderr.split()
            named = [word.strip(".") for word in said if word.startswith("--allow-")]
            wants += named
    needed = [option for option in wants if option == "--allow-remove-essential"]
    words = ["apt-get", "-q", *needed, "install", *shlex.split(row.request)]
    done = installer.run(*words, said="n\n")
    return "[Y/n]" in done.stdout or "[y/N]" in done.stdout, set(wants)


def agrees(installer: Installer, harbour: DebHarbour, row: Row, *more: str) -> None:
    harbour.put("etc/apt/apt.conf.d/99no-programs", 'Dir::Bin::dpkg "/bin/false";\n')
    assert installer.run("apt-get", "-q", "update").returncode == 0
    harbour.refresh()
    assert told_by_forecast(harbour, row.request, *more) == told_by_installer(installer, row)


@pytest.mark.skipif(INSTALLER is None, reason="no deb installer on this machine")
@rows
def test_deb(row: Row, tmp_path: Path, signer: Signer) -> None:
    harbour = row.harbour(tmp_path, signer)
    agrees(Installer(harbour.root), harbour, row)


@rows
def test_newer_deb(row: Row, newer_root: Path, folder: Path, signer: Signer) -> None:
    harbour = row.harbour(folder, signer)
    installer = NewerInstaller(newer_root, harbour.root)
    agrees(installer, harbour, row, "--generation", "newer")


class Keys(NamedTuple):
    """Two keys in the ring of a person who signs packages, in files that a source may name."""

    files: tuple[Path, Path]
    environment: Mapping[str, str]

    def run(self, *words: str) -> None:
        subprocess.run(words, env=self.environment, check=True, capture_output=True)


def made_keys(folder: Path) -> Keys:
    home = folder / "ring"
    home.mkdir(mode=0o700, parents=True)
    keys = Keys((folder / "one.asc", folder / "two.asc"), {**os.environ, "GNUPGHOME": str(home)})
    for file in keys.files:
        name = f"{file.stem} <{file.stem}@gull.example>"
        keys.run("gpg", "--batch", "-q", "--passphrase", "", "--quick-gen-key", name, "rsa2048")
        keys.run("gpg", "--armor", "-o", str(file), "--export", name)
    return keys


def signed_host(kind: str, folder: Path, *, index: bool) -> RpmHarbour:
    """A host with a source whose packages, and perhaps index, the second of its keys signed."""
    keys = made_keys(folder / "keys")
    packages = folder / "packages"
    built(folder, "gull")
    keys.run("rpmsign", "--define", f"__gpg {shutil.which('gpg')}", "--define", "_gpg_name two",
             "--addsign", *map(str, packages.rglob("*.rpm")))  # fmt: skip
    keys.run("createrepo_c", "-q", str(packages))
    if index:
        keys.run("gpg", "--batch", "--detach-sign", "--armor", "-u", "two",
                 str(packages / "repodata/repomd.xml"))  # fmt: skip
    harbour = RpmHarbour(folder, kind)
    for file in keys.files:  # the installer looks for it outside of its root, Velpin inside
        harbour.put(str(file).lstrip("/"), file.read_bytes())
    where = "etc/yum.repos.d" if kind == DNF else "etc/zypp/repos.d"
    checks = f"gpgcheck=1\nrepo_gpgcheck={int(index)}\n"
    named = "\n ".join(f"file://{file}" for file in keys.files)
    text = f"[one]\nname=One\nbaseurl=file://{packages}\nenabled=1\n{checks}gpgkey={named}\n"
    harbour.put(f"{where}/one.repo", text)
    return harbour.refresh()


def foreseen_keys(harbour: RpmHarbour, *more: str) -> list[tuple[str, str]]:
    found = harbour.forecast("gull", *more)["questions"]
    return [(q["key"], q["fingerprint"]) for q in found if q["code"] == "import-key"]


IMPORTED = re.compile(
    r"Importing (?:GPG|OpenPGP) key (\w+):\n User.*\n Fingerprint: ([0-9A-F ]+)\n From"
)
needs_rpm_tools = pytest.mark.skipif(
    not all(map(shutil.which, ("rpmbuild", "rpmsign", "gpg", "createrepo_c"))),
    reason="no tools that sign packages on this machine",
)


@needs_rpm_tools
@pytest.mark.skipif(PROGRAMS[DNF] is None, reason="no such installer on this machine")
@pytest.mark.parametrize("index", [False, True])
def test_the_keys_that_dnf_imports(index: bool, tmp_path: Path) -> None:
    harbour = signed_host(DNF, tmp_path, index=index)
    expected = foreseen_keys(harbour)
    assert len(expected) == (4 if index else 2)
    said = RealInstaller(harbour).said_to_yes("install", "gull")
    assert IMPORTED.findall(said) == expected


@needs_rpm_tools
@pytest.mark.parametrize("index", [False, True])
def test_the_keys_that_newer_dnf_imports(index: bool, newer_root: Path, folder: Path) -> None:
    harbour = signed_host(DNF, folder, index=index)
    expected = foreseen_keys(harbour, "--generation", "newer")
    assert len(expected) == (4 if index else 2)
    said = NewerRpmInstaller(newer_root, harbour).said_to_yes("install", "gull")
    assert IMPORTED.findall(said) == expected


@needs_rpm_tools
@pytest.mark.skipif(PROGRAMS[ZYPP] is None, reason="no such installer on this machine")
def test_the_key_that_zypper_asks_about(tmp_path: Path) -> None:
    harbour = signed_host(ZYPP, tmp_path, index=True)
    expected = foreseen_keys(harbour)
    said = RealInstaller(harbour).said_to_yes("refresh", "--force")
    fingerprints = re.findall(r"Key Fingerprint:\s+([0-9A-F ]+?)\s*\n", said)
    assert [print_ for _, print_ in expected] == fingerprints
    assert "(r): r" in said  # it rejects the key of itself
