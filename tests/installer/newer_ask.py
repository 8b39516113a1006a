"""Asking the newer installers, which live in a root of their own: in its chroot, in simulation.

What they are asked about lies below that root, and is found there under the same path: the root
holds a link that leads from its own path back to it.
"""

from __future__ import annotations

import re
import shutil
import subprocess
from pathlib import Path
from tempfile import mkdtemp

from tests.harbours import DNF, RpmHarbour
from tests.installer.ask import Installer
from tests.installer.rpm_ask import Done, Said, index_record, read_xml


def folder_in(root: Path) -> Path:
    """A new folder below the root of the newer installers."""
    link = root / root.relative_to("/")
    if not link.is_symlink():
        link.parent.mkdir(parents=True, exist_ok=True)
        link.symlink_to("/")
    (root / "tmp").mkdir(exist_ok=True)
    return Path(mkdtemp(prefix="asked-", dir=root / "tmp"))


class NewerInstaller(Installer):
    """The newer installer of deb hosts."""

    def __init__(self, newer: Path, root: Path, archs: tuple[str, ...] = ("amd64", "i386")) -> None:
        super().__init__(root, archs)
        self._newer = newer

    def run(self, *words: str, said: str = "") -> subprocess.CompletedProcess[str]:
        """Run one of its programs and say something to it."""
        return subprocess.run(
            ["chroot", str(self._newer), "env", f"APT_CONFIG={self._conf}", "LC_ALL=C.UTF-8", *words],
            capture_output=True, text=True, check=False, timeout=120, input=said,
        )  # fmt: skip


class NewerRpmInstaller:
    """The newer installer of one layout of rpm hosts."""

    def __init__(self, newer: Path, harbour: RpmHarbour) -> None:
        self.harbour = harbour
        self._newer = newer
        home = harbour.folder / "home"
        home.mkdir(exist_ok=True)
        (home / ".rpmmacros").write_text("%_dbpath /var/lib/rpm\n")
        index_record(harbour.root / "var/lib/rpm/rpmdb.sqlite")
        self._environment = [f"HOME={home}", "LC_ALL=C.UTF-8", "COLUMNS=400"]
        self._environment.append(f"ZYPP_CONF={harbour.root}/etc/zypp/zypp.conf")
        if harbour.kind == DNF:
            self.ask("makecache")  # ties go otherwise in the run that fetches the lists
        else:
            self._run(*self._zypper("--no-gpg-checks"), "refresh")

    def ask(self, *words: str) -> Said:
        """What it would do for `install NAME...` or the full upgrade."""
        if self.harbour.kind == DNF:
            without_keys = "--setopt=*.repo_gpgcheck=0"  # it would look for them elsewhere, and ask
            return _read_table(self._dnf(without_keys, "--assumeno", *words))
        first, *rest = words
        return read_xml(
            self._run(*self._zypper("--xmlout"), first, "--dry-run", "--details", *rest)
        )

    def said_to_yes(self, *words: str) -> str:
        """What it prints when every question is answered with yes; this changes its root."""
        self.clear()
        return self._dnf("-y", *words)

    def _dnf(self, *words: str) -> str:
        return self._run(
            "dnf5", f"--installroot={self.harbour.root}", "--releasever=4", "--forcearch=x86_64",
            f"--setopt=cachedir={self.harbour.folder}/installer-cache", *words,
        )  # fmt: skip

    def _zypper(self, *words: str) -> list[str]:
        return ["zypper", "--root", str(self.harbour.root), "--non-interactive", *words]

    def _run(self, *words: str) -> str:
        done = subprocess.run(
            ["chroot", str(self._newer), "env", *self._environment, *words],
            capture_output=True, text=True, check=False, timeout=300, stdin=subprocess.DEVNULL,
        )  # fmt: skip
        return done.stdout + done.stderr

    def clear(self) -> None:
        """Forget what was fetched."""
        shutil.rmtree(self.harbour.folder / "installer-cache", ignore_errors=True)


_ROW = re.compile(r"( +)(\S+)\s+(\S+)\s+(\S+)\s+(\S+)\s+[\d.]+ \S+$")
_GROUPS = ("Installing", "Upgrading", "Downgrading", "Reinstalling", "Removing")


def _read_table(text: str) -> Said:
    if "Nothing to do" in text and "Failed" not in text:
        return Said({}, text)
    if "Transaction Summary" not in text:
        return Said(None, text)
    found: Done = {}
    gone: Done = {}
    group = ""
    for line in text.partition("Transaction Summary")[0].splitlines():
        if line.endswith(":") and not line.startswith(" "):
            group = line if line.startswith(_GROUPS) else ""
        row = _ROW.match(line.replace(" replacing ", " replacing_", 1))
        if not group or row is None:
            continue
        _, name, arch, version, source = row.groups()
        key = f"{name.removeprefix('replacing_')}.{arch}"
        if name.startswith("replacing_") or group.startswith("Removing"):
            gone[key] = ("", "")
        else:
            found[key] = (version.removeprefix("0:"), source)
    return Said({**gone, **found}, text)
