"""The records that rules become are read by the real installer, which then chooses as foretold."""

from __future__ import annotations

import os
import random
from pathlib import Path

import pytest

from tests.drawn_rules import draw_rule
from tests.harbours import DebHarbour, offer
from tests.installer.ask import INSTALLER, Installer
from tests.installer.drawn import NAMES, Drawn
from velpin.core.access import Access
from velpin.host.host import Host
from velpin.kinds.deb import DebPorts, choice
from velpin.model.rule import words_of

HOSTS = int(os.environ.get("VELPIN_DRAWN_HOSTS", "12"))
FIRST = int(os.environ.get("VELPIN_FIRST_HOST", "0"))
RULES = 4

pytestmark = pytest.mark.skipif(INSTALLER is None, reason="this machine has no deb installer")


def agrees(host: DebPorts, installer: Installer, names: list[str]) -> None:
    """Numbers, candidates and simulated installs are Velpin's."""
    tables = installer.tables(*names)
    for name in names:
        package = host.state.packages.named(name)["amd64"]
        chosen = choice.candidate(package)
        versions = tuple((version.text, version.priority.value) for version in package.versions)
        told = tables[name]
        assert (chosen.text if chosen else None, versions) == (told.candidate, told.versions), name
        found = Host(host, Access()).forecast([name])
        if name.endswith("+") and not found.ok:
            continue  # the installer then takes the text for a pattern
        if any(
            p.installed for arch, p in host.state.packages.named(name).items() if arch != "amd64"
        ):
            continue
        works, put = installer.simulate(name)
        assert found.ok == works, (name, found.problem)
        assert {c.name: c.new for c in found.changes if c.arch != "i386"} == {
            name: new for name, new in put.items() if not name.endswith(":i386")
        }


@pytest.mark.parametrize("seed", range(FIRST, FIRST + HOSTS))
def test_after_each_rule_on_a_random_host(seed: int, tmp_path: Path) -> None:
    harbour = DebHarbour(tmp_path)
    Drawn(seed + 500_000, tmp_path)
    installer = Installer(harbour.root)
    installer.refresh()
    pick = random.Random(seed)
    for _ in range(RULES):
        rule = draw_rule(harbour.ports(), pick)
        said = harbour.run(*words_of(rule), "--yes")
        host = harbour.ports()
        if said.code or host.readiness.refusal() is not None:
            continue
        names = [
            name for name in map(str.lower, NAMES) if host.state.packages.named(name).get("amd64")
        ]
        agrees(host, installer, names)


def harbour_of_two(harbour: DebHarbour) -> DebHarbour:
    """A base with a library that a vendor has as well, newer, also in a version not final."""
    harbour.source("base", ("tide-lib", "1.0"), ("tide-lib", "0.9"), ("gull", "1.0"), Label="Base")
    harbour.source(
        "vendor",
        ("tide-lib", "2.0"), ("gull", "2.0"), ("gull", "3.0~rc1"),
         offer("gull-watch", "1.0", Depends="gull (>= 2), tide-lib"),
    )  # fmt: skip
    harbour.installed(("tide-lib", "1.0"), ("gull", "1.0"))
    return harbour


@pytest.mark.parametrize(
    ("words", "gull", "lib"),
    [
        ("prefer base --over vendor", "1.0", "1.0"),
        ("prefer vendor --under base", "1.0", "1.0"),
        ("prefer base --over-all", "1.0", "1.0"),
        ("confine vendor gull gull-watch", "3.0~rc1", "1.0"),
        ("confine vendor gull*", "3.0~rc1", "1.0"),
        ("pin gull@2.0", "2.0", "2.0"),
        ("pin gull@2.*", "2.0", "2.0"),
        ("pin tide-lib@0.9 --allow-older", "3.0~rc1", "0.9"),
        ("pin gull tide-lib --from base", "1.0", "1.0"),
        ("bar tide-lib --from vendor", "3.0~rc1", "1.0"),
        ("bar gull@3.0~rc1", "2.0", "2.0"),
        ("bar --pre-releases --from vendor", "2.0", "2.0"),
        ("keep gull tide-lib", "1.0", "1.0"),
        ("keep gull:amd64", "1.0", "2.0"),
    ],
)
def test_each_kind_of_rule(harbour: DebHarbour, words: str, gull: str, lib: str) -> None:
    harbour_of_two(harbour)
    installer = Installer(harbour.root)
    installer.refresh()
    said = harbour.run(*words.split(), "--yes")
    assert said.code == 0, said.err
    host = harbour.host()
    assert [host.forecast([name]).answers[0].version for name in ("gull", "tide-lib")] == [
        gull,
        lib,
    ]
    agrees(harbour.ports(), installer, ["gull", "tide-lib", "gull-watch"])
    works, put = installer.transaction("dist-upgrade") or (None, {})
    told = host.forecast_upgrade()
    assert (works, {n: new for n, (_, new) in put.items()}) == (
        told.ok, {change.name: change.new for change in told.changes},
    )  # fmt: skip
