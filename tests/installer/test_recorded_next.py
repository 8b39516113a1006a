"""What is said to type next on the recorded hosts, where the real installers are here to do it."""

from __future__ import annotations

import json
import os
from collections.abc import Iterator
from pathlib import Path
from types import SimpleNamespace
from typing import Any, NamedTuple, cast

import pytest

from tests.agreement.hosts import archive, names, program, unpacked
from tests.harbours import DEB, DNF, RpmHarbour
from tests.installer.ask import INSTALLER, Installer
from tests.installer.next_lines import installs
from tests.installer.rpm_ask import PROGRAMS, RealInstaller, agree, brief
from velpin.files.tree import Tree
from velpin.kinds import open_ports
from velpin.ports.view import View
from velpin.store.cache import open_cache

EVERY = int(os.environ.get("VELPIN_RECORDED_EVERY", "8"))
"""One recorded host of so many is asked."""


class Asked(NamedTuple):
    """What the real installer is asked on one recorded host, and what was foreseen."""

    requests: list[str]
    words: list[str]
    """Of the command, without the program."""
    told: dict[str, Any]


def _hosts(kind: str) -> Iterator[tuple[Path, list[Asked]]]:
    """Some recorded hosts, refreshed, each with what was carried out on it and ends with a
    command."""
    for name in names(kind)[::EVERY]:
        with unpacked(archive(kind), kind, f"{name}/") as (case,):
            program("--root", str(case / "root"), "refresh")
            found = []
            for asked in json.loads((case / "case.json").read_text())["asked"]:
                requests = asked.get("requests", ["--upgrade"])
                if asked.get("allow_source_change"):
                    requests = ["--upgrade", "--realign"]
                told = json.loads(
                    program("--root", str(case / "root"), "forecast", "--json", *requests)
                )
                lines = installs(told.get("next", []))
                if asked["observed"]["ok"] and told["ok"] and told["changes"]:
                    assert len(lines) == 1, (case.name, requests, told["next"])
                    found.append(Asked(requests, lines[0][1:], told))
            yield case, found


def _read(case: Path) -> Any:
    """What Velpin reads of a host."""
    tree = Tree(case / "root")
    return open_ports(View(tree, open_cache(tree)))


def _judge(different: list[object], asked: int) -> None:
    print(f"{asked - len(different)} of {asked}", *different, sep="\n")
    assert asked > 10
    assert not different


@pytest.mark.skipif(INSTALLER is None, reason="this machine has no deb installer")
def test_deb() -> None:
    different: list[object] = []
    asked = 0
    for case, questions in _hosts(DEB):
        archs = _read(case).configuration.archs
        installer = Installer(case / "root", archs)
        installer.refresh()
        for requests, words, told in questions:
            said = installer.transaction(*words)
            if said is None:
                continue
            asked += 1
            foreseen = {
                _as_named(change, archs[0]): (change["old"], change["new"])
                for change in told["changes"]
            }
            if said != (True, foreseen):
                different.append((case.name, requests, words, foreseen, said))
    _judge(different, asked)


def _as_named(change: dict[str, Any], native: str) -> str:
    """A package as the installer calls it."""
    foreign = change["arch"] not in (native, "all")
    return f"{change['name']}:{change['arch']}" if foreign else change["name"]


@pytest.mark.skipif(PROGRAMS[DNF] is None, reason="this machine has no such installer")
def test_dnf() -> None:
    different: list[object] = []
    asked = 0
    for case, questions in _hosts(DNF):
        there = next((case / "root").rglob("rpmdb.sqlite"))
        usual = case / "root/var/lib/rpm/rpmdb.sqlite"
        if there != usual:
            usual.parent.mkdir(parents=True)
            there.rename(usual)
        variables = _read(case).configuration.variables
        real = RealInstaller(
            cast(RpmHarbour, SimpleNamespace(kind=DNF, root=case / "root", folder=case)),
            arch=variables["arch"],
            release=variables.get("releasever", "4"),
        )
        for requests, words, told in questions:
            asked += 1
            said = real.ask(*words)
            if not agree(said, told):
                different.append((case.name, requests, words, brief(told), said))
    _judge(different, asked)
