"""On random hosts the real installer's numbers and candidates are Velpin's."""

from __future__ import annotations

import os
from pathlib import Path

import pytest

from tests.installer.ask import INSTALLER, Installer
from tests.installer.drawn import NAMES, Drawn
from velpin.kinds import open_host
from velpin.kinds.deb import choice
from velpin.kinds.deb.host import DebHost
from velpin.store.shelf import open_shelf
from velpin.tree import Tree

HOSTS = int(os.environ.get("VELPIN_DRAWN_HOSTS", "25"))
FIRST = int(os.environ.get("VELPIN_FIRST_HOST", "0"))

pytestmark = pytest.mark.skipif(INSTALLER is None, reason="this machine has no deb installer")


@pytest.mark.parametrize("seed", range(FIRST, FIRST + HOSTS))
def test_numbers_and_candidates_agree(seed: int, tmp_path: Path) -> None:
    drawn = Drawn(seed, tmp_path)
    installer = Installer(drawn.root)
    installer.refresh()
    tree = Tree(drawn.root)
    host = open_host(tree, open_shelf(tree), as_is=True)
    assert isinstance(host, DebHost)
    names = [name for name in map(str.lower, NAMES) if host.packages(name).get("amd64")]
    if host.refusal() is None:
        tables = installer.tables(*names)
        for name in names:
            package = host.packages(name)["amd64"]
            chosen = choice.candidate(package)
            ours = (
                chosen.text if chosen else None,
                [(version.text, version.number.value) for version in package.versions],
            )
            assert ours == (tables[name].candidate, list(tables[name].versions)), name
    for name in names:
        found = host.forecast([name])
        if name.endswith("+") and not found.ok:
            continue  # the installer then takes the text for a pattern
        if any(a.arch == "i386" and host.packages(name)["amd64"].installed for a in found.answers):
            continue  # both architectures of one name: a matter of dependencies
        works, put = installer.simulate(name)
        assert found.ok == works, (name, found.problem)
        changed = {
            change.name + (":i386" if change.arch == "i386" else ""): change.new
            for change in found.changes
        }
        for asked in (name, f"{name}:i386"):
            assert changed.get(asked) == put.get(asked), asked
