"""Roots of real hosts, made for a test from this machine's package archive."""

from __future__ import annotations

import os
import random
import shutil
import subprocess
from pathlib import Path

import pytest

from tests.installer.ask import Changes, changes_in, changes_of
from velpin import open_host
from velpin.host.host import Host

NEWER = ("dnf5", "zypper", "pacman-package-manager", "rpm", "createrepo-c", "python3")
"""What a current suite brings beside its own installer."""


def make_root(folder: Path, suite: str, *packages: str) -> Path:
    """A root of a suite, its indexes fetched; skips the test, saying why, where none can be made.

    It takes `mmdebstrap`, being root, and one to four minutes.
    """
    maker = shutil.which("mmdebstrap")
    if maker is None or os.geteuid() != 0:
        pytest.skip("a root cannot be made here: that takes mmdebstrap, and being root")
    archive = next((source.url for source in open_host("/").sources if source.on), "")
    words = [maker, "--variant=apt", '--aptopt=Acquire::Check-Valid-Until "false"']
    words += [f"--include={','.join(packages)}"] if packages else []
    words += [suite, str(folder), archive.partition("/dists/")[0]]
    done = subprocess.run(words, capture_output=True, text=True, check=False, timeout=900)
    if done.returncode:
        shutil.rmtree(folder, ignore_errors=True)
        pytest.skip(f"a root could not be made: {done.stderr.strip().splitlines()[-1:]}")
    return folder


def given_root(variable: str) -> Path | None:
    """A root that is there already, named by a variable of the environment."""
    told = os.environ.get(variable)
    return Path(told) if told else None


def simulated(root: Path, *words: str) -> tuple[bool, Changes]:
    """Whether a root's own deb installer would carry out a command, and what would change."""
    done = subprocess.run(
        ["chroot", str(root), "apt-get", "-q", "-s", "-y", *words],
        capture_output=True, text=True, check=False, timeout=300,
        env={"PATH": "/usr/sbin:/usr/bin:/sbin:/bin", "LC_ALL": "C.UTF-8"},
    )  # fmt: skip
    return done.returncode == 0, changes_in(done.stdout)


def differing(root: Path, host: Host, count: int, seed: str) -> list[object]:
    """Where a root's own deb installer and Velpin differ, on `count` of the names that its sources
    offer, and on the full upgrade."""
    names = sorted(
        {one.name for source in host.sources for one in host.packages.offers_from(source.handle)}
    )
    different: list[object] = []
    asked = random.Random(seed).sample(names, min(count, len(names)))
    for name in asked:
        found = host.forecast([name])
        told = simulated(root, "install", name)
        if (found.ok, changes_of(found)) != told:
            different.append((name, found.problem, changes_of(found), told))
    print(f"{len(asked) - len(different)} of {len(asked)}")
    upgrade = host.forecast_upgrade()
    if (upgrade.ok, changes_of(upgrade)) != simulated(root, "dist-upgrade"):
        different.append("the full upgrade")
    return different
