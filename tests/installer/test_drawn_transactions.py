"""On random hosts the real installer's whole transactions and refusals are Velpin's."""

from __future__ import annotations

import os
from pathlib import Path

import pytest

from tests.installer.ask import INSTALLER, Installer
from tests.installer.drawn_relations import DrawnRelations
from velpin.core.access import Access
from velpin.host.host import Host

HOSTS = int(os.environ.get("VELPIN_DRAWN_HOSTS", "12"))
FIRST = int(os.environ.get("VELPIN_FIRST_HOST", "0"))

pytestmark = pytest.mark.skipif(INSTALLER is None, reason="this machine has no deb installer")


@pytest.mark.parametrize("seed", range(FIRST, FIRST + HOSTS))
def test_transactions_agree(seed: int, tmp_path: Path) -> None:
    drawn = DrawnRelations(seed, tmp_path)
    installer = Installer(drawn.root, drawn.archs)
    installer.refresh()
    host = Host(drawn.host(), Access())
    assert drawn.differing(installer, host, 8) == []
    assert drawn.differing(installer, host, 4, along=True) == []
