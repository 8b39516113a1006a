"""Asking this machine's real installer, in a temporary root and in simulation only."""

from __future__ import annotations

import os
import re
import shutil
import subprocess
from pathlib import Path
from typing import NamedTuple

from velpin.model.forecast import Forecast

INSTALLER = shutil.which("apt-get")


_STUMBLES = (
    "E: Could not configure", "E: Couldn't configure", "E: Internal error", "E: Internal Error",
    "E: This installation run will require temporarily",
)  # fmt: skip
"""Said where it has worked the transaction out, and finds no order of steps for it."""


class Table(NamedTuple):
    """What the installer says of one name: its candidate, and number and text of each version."""

    candidate: str | None
    installed: str | None
    versions: tuple[tuple[str, int], ...]


class Installer:
    """The real installer, confined to a root."""

    def __init__(self, root: Path, archs: tuple[str, ...] = ("amd64", "i386")) -> None:
        self.root = root
        for folder in ("etc/apt/apt.conf.d", "etc/apt/preferences.d", "etc/apt/sources.list.d",
                       "etc/apt/trusted.gpg.d", "var/lib/apt/lists/partial",
                       "var/cache/apt/archives/partial", "var/lib/dpkg", "var/log/apt"):  # fmt: skip
            (root / folder).mkdir(parents=True, exist_ok=True)
        self._conf = root.parent / "installer.conf"
        listed = " ".join(f'"{arch}";' for arch in archs)
        self._conf.write_text(
            f'Dir "{root}/";\nDir::State::status "{root}/var/lib/dpkg/status";\n'
            f'Dir::Etc::main "apt.conf";\nAPT::Architecture "amd64";\nAPT::Architectures {{{listed}}};\n'
            'Acquire::Languages "none";\nAPT::Sandbox::User "root";\nDebug::NoLocking "1";\n'
        )

    def run(self, *words: str, said: str = "") -> subprocess.CompletedProcess[str]:
        """Run one of its programs and say something to it; nothing of the real host is touched."""
        environment = {**os.environ, "APT_CONFIG": str(self._conf), "LC_ALL": "C.UTF-8"}
        return subprocess.run(
            words, env=environment, capture_output=True, text=True, check=False, timeout=120,
            input=said,
        )  # fmt: skip

    def refresh(self) -> None:
        """Let it fetch its indexes."""
        done = self.run("apt-get", "-q", "update")
        assert done.returncode == 0, done.stderr

    def tables(self, *names: str) -> dict[str, Table]:
        """Its own table of versions for some names."""
        told = self.run("apt-cache", "policy", *names).stdout
        found = {}
        for part in re.split(r"(?m)^(?=\S)", told):
            name, _, rest = part.partition(":\n")
            if not rest:
                continue
            versions = re.findall(r"(?m)^ (?:\*\*\*|   ) (\S+) (-?\d+)$", rest)
            found[name] = Table(
                _named(rest, "Candidate"),
                _named(rest, "Installed"),
                tuple((version, int(number)) for version, number in versions),
            )
        return found

    def transaction(self, *words: str) -> tuple[bool, Changes] | None:
        """Whether it would carry out a command, and everything that would change.

        None where its simulation stumbles over the order of its own steps.
        """
        done = self.run(
            "apt-get", "-q", "-s", "-y", "--allow-downgrades", "--allow-change-held-packages",
            "--allow-remove-essential", *words,
        )  # fmt: skip
        stumbled = "\nInst " in done.stdout or any(text in done.stderr for text in _STUMBLES)
        if done.returncode and stumbled:
            return None
        return done.returncode == 0, changes_in(done.stdout)

    def simulate(self, *requests: str) -> tuple[bool, dict[str, str]]:
        """Whether it would carry out an installation, and the versions it would put in."""
        done = self.run(
            "apt-get", "-q", "-s", "-y", "--allow-downgrades", "--allow-change-held-packages",
            "--no-install-recommends", "install", *requests,
        )  # fmt: skip
        put = dict(re.findall(r"(?m)^Inst (\S+) (?:\[\S+\] )?\((\S+) ", done.stdout))
        return done.returncode == 0, put


Changes = dict[str, tuple[str | None, str | None]]
"""Old and new version by name (with the architecture where it is not the first)."""


def changes_in(told: str) -> Changes:
    """The packages a simulation puts in or takes out."""
    found: Changes = {}
    for name, old, new in re.findall(r"(?m)^Inst (\S+) (?:\[(\S+)\] )?\((\S+) ", told):
        found[name] = (old or None, new)
    for name, old in re.findall(r"(?m)^Remv (\S+) \[(\S+)\]", told):
        found[name] = (old, None)
    return found


def _named(text: str, label: str) -> str | None:
    found = re.search(rf"{label}: (\S+)", text)
    return None if found is None or found.group(1) == "(none)" else found.group(1)


def changes_of(found: Forecast) -> Changes:
    """Old and new version by name, as the installer's names go."""
    return {
        change.name + (f":{change.arch}" if change.foreign else ""): (change.old, change.new)
        for change in found.changes
    }
