"""A current deb host, made for this: names and the full upgrade against its own installer.

The root is made with `mmdebstrap` from this machine's package archive, as root, in one to four
minutes; `VELPIN_MADE_ROOT` names one that is there already. Its installer runs in a `chroot`, in
simulation.
"""

from __future__ import annotations

import os
import random
import subprocess
from pathlib import Path

import pytest

from tests.installer.ask import changes_in
from tests.installer.made import given_root, make_root
from tests.installer.test_drawn_transactions import changes_of
from velpin import open_host
from velpin.files.tree import Tree, read_release_fields

NAMES = int(os.environ.get("VELPIN_REAL_NAMES", "40"))
SEED = os.environ.get("VELPIN_SEED", "11")


@pytest.fixture(scope="module")
def made(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The root of this machine's suite (or `VELPIN_MADE_ROOT`)."""
    suite = read_release_fields(Tree(Path("/"))).get("VERSION_CODENAME", "")
    folder = tmp_path_factory.mktemp("made") / "root"
    return given_root("VELPIN_MADE_ROOT") or make_root(folder, suite)


def simulated(root: Path, *words: str) -> tuple[bool, object]:
    """Whether the root's own installer would carry out a command, and what would change."""
    done = subprocess.run(
        ["chroot", str(root), "apt-get", "-q", "-s", "-y", *words],
        capture_output=True, text=True, check=False, timeout=300,
        env={"PATH": "/usr/sbin:/usr/bin:/sbin:/bin", "LC_ALL": "C.UTF-8"},
    )  # fmt: skip
    return done.returncode == 0, changes_in(done.stdout)


def test_names_and_the_upgrade_agree_with_its_own_installer(made: Path) -> None:
    subprocess.run(["chroot", str(made), "apt-get", "-q", "update"], check=True, timeout=600)
    host = open_host(made)
    names = sorted(
        {offer.name for source in host.sources for offer in host.offers_from(source.handle)}
    )
    different: list[object] = []
    asked = random.Random(SEED).sample(names, min(NAMES, len(names)))
    for name in asked:
        found = host.forecast([name])
        told = simulated(made, "install", name)
        if (found.ok, changes_of(found)) != told:
            different.append((name, found.problem, changes_of(found), told))
    upgrade = host.forecast_upgrade()
    if (upgrade.ok, changes_of(upgrade)) != simulated(made, "dist-upgrade"):
        different.append("the full upgrade")
    print(f"{len(asked) - len(different)} of {len(asked)}")
    assert different == []
