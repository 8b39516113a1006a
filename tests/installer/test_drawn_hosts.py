"""On random hosts the real installer's numbers and candidates are Velpin's."""

from __future__ import annotations

import os
import random
from pathlib import Path

import pytest

from tests.installer.ask import INSTALLER, Installer
from tests.installer.drawn import NAMES, Drawn
from velpin.core.access import Access
from velpin.files.tree import Tree
from velpin.host.host import Host
from velpin.kinds.deb import DebPorts, choice
from velpin.model.forecast import Forecast
from velpin.ports.view import View
from velpin.store.cache import open_cache

HOSTS = int(os.environ.get("VELPIN_DRAWN_HOSTS", "25"))
FIRST = int(os.environ.get("VELPIN_FIRST_HOST", "0"))

pytestmark = pytest.mark.skipif(INSTALLER is None, reason="this machine has no deb installer")


@pytest.mark.parametrize("seed", range(FIRST, FIRST + HOSTS))
def test_numbers_and_candidates_agree(seed: int, tmp_path: Path) -> None:
    drawn = Drawn(seed, tmp_path)
    installer = Installer(drawn.root)
    installer.refresh()
    tree = Tree(drawn.root)
    host = DebPorts(View(tree, open_cache(tree), True))
    names = [name for name in map(str.lower, NAMES) if host.state.packages.named(name).get("amd64")]
    if host.readiness.refusal() is None:
        tables = installer.tables(*names)
        for name in names:
            package = host.state.packages.named(name)["amd64"]
            chosen = choice.candidate(package)
            ours = (
                chosen.text if chosen else None,
                [(version.text, version.priority.value) for version in package.versions],
            )
            assert ours == (tables[name].candidate, list(tables[name].versions)), name
    for name in names:
        found = Host(host, Access()).forecast([name])
        if name.endswith("+") and not found.ok:
            continue  # the installer then takes the text for a pattern
        if any(
            a.arch == "i386" and host.state.packages.named(name)["amd64"].installed
            for a in found.answers
        ):
            continue  # both architectures of one name: a matter of dependencies
        works, put = installer.simulate(name)
        assert found.ok == works, (name, found.problem)
        changed = {
            change.name + (":i386" if change.arch == "i386" else ""): change.new
            for change in found.changes
        }
        for asked in (name, f"{name}:i386"):
            assert changed.get(asked) == put.get(asked), asked


def requests_of(host: DebPorts, pick: random.Random) -> list[tuple[str, str]]:
    """Requests in Velpin's form and in the installer's."""
    found = []
    for name in [*map(str.lower, NAMES), "wader", "sea-bird"]:
        texts = [
            v.text for package in host.state.packages.named(name).values() for v in package.versions
        ]
        version = pick.choice([*texts, "1*", "2", "0.1"])
        suite = pick.choice(["jetty", "quay", "steady", "st*", "4.2", "now", "absent"])
        found += [
            (name, name),
            (f"{name}@{version}", f"{name}={version}"),
            (f"{name}%{suite}", f"{name}/{suite}"),
            (f"{name}:i386", f"{name}:i386"),
        ]
    return found


@pytest.mark.parametrize("seed", range(FIRST, FIRST + HOSTS))
def test_requests_of_every_form_agree(seed: int, tmp_path: Path) -> None:
    drawn = Drawn(seed + 100_000, tmp_path)
    installer = Installer(drawn.root)
    installer.refresh()
    tree = Tree(drawn.root)
    host = DebPorts(View(tree, open_cache(tree), True))
    pick = random.Random(seed)
    for ours, theirs in pick.sample(requests_of(host, pick), 12):
        found = Host(host, Access()).forecast([ours])
        works, put = installer.simulate(theirs)
        if "++" in ours and not found.ok:
            continue  # the installer then takes the text for a pattern
        if both_architectures(host, found):
            continue
        assert found.ok == works, (ours, found.problem, put)
        for change in found.changes:
            name = change.name + (":i386" if change.arch == "i386" else "")
            assert put.get(name) == change.new, (ours, put)
        for answer in found.answers:
            assert found.changes or not works or answer.package not in put, (ours, put)


def both_architectures(host: DebPorts, found: Forecast) -> bool:
    """Whether another architecture of an answer's package is installed: that is for dependencies."""
    return any(
        package.installed
        and package.arch != (host.configuration.native if answer.arch == "all" else answer.arch)
        for answer in found.answers
        for package in host.state.packages.named(answer.package).values()
    )
