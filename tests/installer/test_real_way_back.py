"""The way back from a dropped source, run by the real installers: it ends where it was told to."""

from __future__ import annotations

import json
import shlex
from pathlib import Path

import pytest

from tests.harbours import ALPM, DEB, DNF, ZYPP, AlpmHarbour, DebHarbour, Item, RpmHarbour
from tests.installer import alpm_ask
from tests.installer.ask import INSTALLER, Installer
from tests.installer.rpm_ask import PROGRAMS, RealInstaller
from tests.way_back_host import host

MORE = (Item("skua", "5"), Item("petrel", "2", needs="skua"))
BASE = (Item("skua", "4"), Item("petrel", "1", needs="skua"))
WANTED = {"gull": "1-1", "skua": "4-1", "petrel": "1-1"}


def done_by(harbour: DebHarbour | RpmHarbour | AlpmHarbour, words: list[str]) -> dict[str, str]:
    """What the real installer changes."""
    if isinstance(harbour, DebHarbour):
        installer = Installer(harbour.root)
        installer.refresh()
        told = installer.transaction(*words)
        assert told is not None
        assert told[0]
        return {name: new or "" for name, (_, new) in told[1].items()}
    if isinstance(harbour, RpmHarbour):
        done = RealInstaller(harbour).ask(*words).done or {}
        return {name.rpartition(".")[0]: new for name, (new, _) in done.items()}
    said = alpm_ask.ask(harbour, *words).done or {}
    return {name: new.partition(" ")[0] for name, new in said.items()}


@pytest.mark.parametrize("kind", [DEB, DNF, ZYPP, ALPM])
def test_it_ends_where_it_was_told_to(kind: str, tmp_path: Path) -> None:
    there = {DEB: INSTALLER, ALPM: alpm_ask.PROGRAM}.get(kind) or PROGRAMS.get(kind)
    if there is None:
        pytest.skip(f"no installer of kind {kind} on this machine")
    harbour = host(kind, tmp_path, *MORE, base=BASE)
    told = json.loads(harbour.run("drop", "vendor", "--back", "--yes", "--json").out)
    assert {row["name"]: row["version"] for row in told["back"]} == {**WANTED, "auk": None}
    assert done_by(harbour, shlex.split(told["next"][-1])[1:]) == WANTED
