"""A current deb host, made for this: names and the full upgrade against its own installer.

The root is made with `mmdebstrap` from this machine's package archive, as root, in one to four
minutes; `VELPIN_MADE_ROOT` names one that is there already. Its installer runs in a `chroot`, in
simulation.
"""

from __future__ import annotations

import os
import random
import shutil
import subprocess
from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.installer.ask import changes_in
from tests.installer.test_drawn_transactions import changes_of
from velpin import open_host
from velpin.files.tree import Tree, read_release_fields

NAMES = int(os.environ.get("VELPIN_REAL_NAMES", "40"))
SEED = os.environ.get("VELPIN_SEED", "11")
MAKER = shutil.which("mmdebstrap")


@pytest.fixture(scope="module")
def made(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Path]:
    """The root, its indexes fetched."""
    given = os.environ.get("VELPIN_MADE_ROOT")
    if given:
        yield Path(given)
        return
    if MAKER is None or os.geteuid() != 0:
        pytest.skip("a root cannot be made here: that takes mmdebstrap, and being root")
    root = tmp_path_factory.mktemp("made") / "root"
    suite = read_release_fields(Tree(Path("/"))).get("VERSION_CODENAME", "")
    archive = next((source.url for source in open_host("/").sources if source.on), "")
    base = archive.partition("/dists/")[0]
    words = [MAKER, "--variant=apt", "--aptopt=Acquire::Check-Valid-Until 'false'", suite]
    done = subprocess.run([*words, str(root), base], capture_output=True, text=True, check=False)
    if done.returncode:
        pytest.skip(f"a root could not be made: {done.stderr.strip().splitlines()[-1:]}")
    yield root


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
