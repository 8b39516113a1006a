"""A current deb host, made for this: names and the full upgrade against its own installer.

The root is made with `mmdebstrap` from this machine's package archive, as root, in one to four
minutes; `VELPIN_MADE_ROOT` names one that is there already. Its installer runs in a `chroot`, in
simulation.
"""

from __future__ import annotations

import os
import subprocess
from pathlib import Path

import pytest

from tests.installer.made import differing, given_root, make_root
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


def test_names_and_the_upgrade_agree_with_its_own_installer(made: Path) -> None:
    subprocess.run(["chroot", str(made), "apt-get", "-q", "update"], check=True, timeout=600)
    assert differing(made, open_host(made), NAMES, SEED) == []
