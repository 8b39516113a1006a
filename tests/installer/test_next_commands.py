"""What a forecast says to type next: the real installer, asked just that, does what was foreseen."""

from __future__ import annotations

import os
from pathlib import Path
from random import Random

import pytest

from tests.harbours import DNF, ZYPP
from tests.installer import alpm_ask
from tests.installer.alpm_drawn import AlpmDrawn
from tests.installer.ask import INSTALLER, Installer, changes_of
from tests.installer.drawn_relations import DrawnRelations
from tests.installer.newer_ask import NewerInstaller, NewerRpmInstaller
from tests.installer.next_lines import installs
from tests.installer.rpm_ask import PROGRAMS, RealInstaller, agree, brief
from tests.installer.rpm_drawn import NAMES, RpmDrawn
from velpin.core.access import Access
from velpin.host.host import Host
from velpin.model.installer import GenerationName

HOSTS = int(os.environ.get("VELPIN_DRAWN_HOSTS", "6"))
FIRST = int(os.environ.get("VELPIN_FIRST_HOST", "0"))


def dressed(pick: Random, name: str, sources: list[str], versions: list[str]) -> str:
    """A request for a name as people narrow it: by version, bound, pattern, source."""
    if pick.random() < 0.35:
        version = pick.choice(versions)
        name += "@" + pick.choice((version, f">={version}", f"<={version}", version[:2] + "*"))
    return f"{name}%{pick.choice(sources)}" if pick.random() < 0.35 else name


def judge(different: list[object], asked: int, may_miss: float = 0) -> None:
    """Hold how many lines did otherwise against how many may: forecasts of plain names on dense
    hosts of the newer generations miss as many."""
    print(f"{asked - len(different)} of {asked}", *different, sep="\n")
    assert asked > HOSTS
    assert len(different) <= asked * may_miss


# -- deb -------------------------------------------------------------------------------------


def deb_differences(
    drawn: DrawnRelations, installer: Installer, generation: GenerationName
) -> tuple[list[object], int]:
    """Where the installer does otherwise with the command than the forecast said; how many."""
    host = Host(drawn.host(), Access()).with_generation(generation)
    pick, handles = drawn.random, [source.handle for source in host.sources]
    different: list[object] = []
    asked = 0
    for _ in range(12):
        names = pick.sample(drawn.names, pick.choice((1, 1, 2)))
        texts = [
            dressed(pick, name, [*handles, *drawn.suites], drawn.versions.get(name, ["9"]))
            for name, _ in names
        ]
        if pick.random() < 0.2:
            texts.append(f"{pick.choice(drawn.names)[0]}-")
        found = host.forecast(texts)
        lines = installs(list(found.next))
        if not (found.ok and found.changes) or len(lines) != 1:
            if found.ok and found.changes:
                print("no command", texts, found.next)
            continue
        told = installer.transaction(*lines[0][1:])
        if told is None:
            continue
        asked += 1
        if told != (True, changes_of(found)):
            different.append((texts, lines, changes_of(found), told))
    return different, asked


@pytest.mark.skipif(INSTALLER is None, reason="this machine has no deb installer")
def test_deb(tmp_path: Path) -> None:
    different, asked = [], 0
    for seed in range(FIRST, FIRST + HOSTS):
        drawn = DrawnRelations(seed, tmp_path / str(seed))
        installer = Installer(drawn.root, drawn.archs)
        installer.refresh()
        more, count = deb_differences(drawn, installer, "older")
        different += more
        asked += count
    judge(different, asked)


def test_newer_deb(newer_root: Path, folder: Path) -> None:
    different, asked = [], 0
    for seed in range(FIRST, FIRST + HOSTS):
        drawn = DrawnRelations(seed, folder / str(seed))
        installer = NewerInstaller(newer_root, drawn.root, drawn.archs)
        installer.refresh()
        more, count = deb_differences(drawn, installer, "newer")
        different += more
        asked += count
    judge(different, asked, 0.05)


# -- rpm -------------------------------------------------------------------------------------


def rpm_differences(
    drawn: RpmDrawn, real: RealInstaller | NewerRpmInstaller, generation: str
) -> tuple[list[object], int]:
    pick, harbour = drawn.pick, drawn.harbour
    handles = sorted(path.stem for path in (harbour.folder / "repos").iterdir())
    different: list[object] = []
    asked = 0
    for _ in range(10):
        names = pick.sample(NAMES, pick.choice((1, 1, 1, 2)))
        versions = sorted({each.version for each in drawn.offered if each.name in names}) or ["9-1"]
        texts = [dressed(pick, name, handles, versions) for name in names]
        told = harbour.forecast(*texts, "--generation", generation)
        if not (told["ok"] and told["changes"]):
            continue
        lines = installs(told["next"])
        if len(lines) != 1:
            print("no command", texts, told["next"])
            continue
        asked += 1
        said = real.ask(*lines[0][1:])
        if not agree(said, told):  # a version here says which source it is from
            different.append((harbour.kind, texts, lines, brief(told), said.done))
    return different, asked


@pytest.mark.parametrize("kind", [DNF, ZYPP])
def test_rpm(kind: str, tmp_path: Path) -> None:
    if PROGRAMS[kind] is None:
        pytest.skip(f"no installer of kind {kind} on this machine")
    different, asked = [], 0
    for seed in range(FIRST, FIRST + HOSTS):
        drawn = RpmDrawn(seed, tmp_path / str(seed), kind)
        drawn.harbour.refresh()
        more, count = rpm_differences(drawn, RealInstaller(drawn.harbour), "older")
        different += more
        asked += count
    judge(different, asked)


@pytest.mark.parametrize("kind", [DNF, ZYPP])
def test_newer_rpm(newer_root: Path, folder: Path, kind: str) -> None:
    different, asked = [], 0
    for seed in range(FIRST, FIRST + HOSTS):
        drawn = RpmDrawn(seed, folder / str(seed), kind)
        drawn.harbour.refresh()
        more, count = rpm_differences(drawn, NewerRpmInstaller(newer_root, drawn.harbour), "newer")
        different += more
        asked += count
    judge(different, asked, 0.1)


# -- alpm ------------------------------------------------------------------------------------


@pytest.mark.skipif(alpm_ask.PROGRAM is None, reason="no installer of kind alpm on this machine")
def test_alpm(tmp_path: Path) -> None:
    different: list[object] = []
    asked = 0
    for seed in range(FIRST, FIRST + HOSTS):
        drawn = AlpmDrawn(seed, tmp_path / str(seed))
        drawn.harbour.refresh()
        for words in [*drawn.requests(), *drawn.requests()]:
            told = drawn.harbour.forecast(*words)
            if not (told["ok"] and told["changes"]):
                continue
            lines = installs(told["next"])
            if len(lines) != 1:
                print("no command", words, told["next"])
                continue
            asked += 1
            said = alpm_ask.ask(drawn.harbour, *lines[0][1:])
            if drawn.harbour.changes(*words) != said.done:
                different.append((words, lines, brief(told), said.done))
    judge(different, asked)
