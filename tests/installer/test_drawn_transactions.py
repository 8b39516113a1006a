"""On random hosts the real installer's whole transactions and refusals are Velpin's."""

from __future__ import annotations

import os
from pathlib import Path

import pytest

from tests.installer.ask import INSTALLER, Changes, Installer
from tests.installer.drawn_relations import DrawnRelations
from velpin.core.host import Host
from velpin.model.forecast import Forecast

HOSTS = int(os.environ.get("VELPIN_DRAWN_HOSTS", "12"))
FIRST = int(os.environ.get("VELPIN_FIRST_HOST", "0"))

pytestmark = pytest.mark.skipif(INSTALLER is None, reason="this machine has no deb installer")


def changes_of(found: Forecast) -> Changes:
    """Old and new version by name, as the installer's names go."""
    return {
        change.name + (f":{change.arch}" if change.foreign else ""): (change.old, change.new)
        for change in found.changes
    }


@pytest.mark.parametrize("seed", range(FIRST, FIRST + HOSTS))
def test_transactions_agree(seed: int, tmp_path: Path) -> None:
    drawn = DrawnRelations(seed, tmp_path)
    installer = Installer(drawn.root, drawn.archs)
    installer.refresh()
    host = Host(drawn.host())
    different = []
    for ours, theirs in drawn.requests(8):
        told = (
            installer.transaction("install", *theirs)
            if theirs
            else installer.transaction("dist-upgrade")
        )
        if told is None:
            continue
        found = host.forecast(ours) if ours else host.forecast_upgrade()
        if (found.ok, changes_of(found)) != told:
            different.append((ours or "upgrade", found.problem, changes_of(found), told))
    assert different == []
