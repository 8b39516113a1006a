"""What to type next: the command of each kind's installer, refresh first, and rules if it takes some.

That the real installers then do what was foreseen: tests/installer/test_next_commands.py."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest

from tests.harbours import ALPM, DEB, DNF, ZYPP, Item, harbour_of

KINDS = (DEB, DNF, ZYPP, ALPM)
REFRESH = {
    DEB: "apt-get update", DNF: "dnf makecache --refresh", ZYPP: "zypper refresh",
    ALPM: "pacman -Sy",
}  # fmt: skip
UPGRADE = {
    DEB: "apt-get dist-upgrade",
    DNF: "dnf upgrade",
    ZYPP: "zypper update",
    ALPM: "pacman -Su",
}
INSTALL = {DEB: "apt-get install", DNF: "dnf install", ZYPP: "zypper install", ALPM: "pacman -S"}
NAMED = [
    ("tern", dict.fromkeys(KINDS, "tern")),
    ("gull@2", {DEB: "gull=2-1", DNF: "gull-2-1", ZYPP: "gull=2-1"}),
    ("gull@<3", {DEB: "gull=2-1", DNF: "gull-2-1", ZYPP: "gull=2-1", ALPM: "'gull<3'"}),
    ("gull@2*", {DEB: "gull=2-1", DNF: "gull-2-1", ZYPP: "gull=2-1", ALPM: "gull=2-1"}),
    ("gull%older", {DEB: "gull=2-1", DNF: "gull-2-1", ZYPP: "older:gull", ALPM: "older/gull"}),
    ("tern gull%older", {DEB: "tern gull=2-1", ALPM: "tern older/gull"}),
]  # fmt: skip


def host(kind: str, folder: Path) -> Any:
    harbour = harbour_of(kind, folder)
    harbour.source("newer", Item("gull", "3").on(kind), Item("tern", "1").on(kind))
    harbour.source("older", Item("gull", "2").on(kind), Item("auk", "2").on(kind))
    harbour.installed(Item("auk", "1").on(kind))
    return harbour.refresh()


@pytest.mark.parametrize(
    ("kind", "asked", "words"),
    [(kind, asked, words) for asked, by_kind in NAMED for kind, words in by_kind.items()],
)
def test_the_command_names_what_was_asked(
    kind: str, asked: str, words: str, tmp_path: Path
) -> None:
    harbour = host(kind, tmp_path)
    if (kind, asked) == (DEB, "gull@2"):
        asked = "gull@2-1"
    found = harbour.forecast(*asked.split())
    assert found["next"] == [REFRESH[kind], f"{INSTALL[kind]} {words}"]


@pytest.mark.parametrize("kind", KINDS)
def test_the_full_upgrade(kind: str, tmp_path: Path) -> None:
    assert host(kind, tmp_path).forecast("--upgrade")["next"] == [REFRESH[kind], UPGRADE[kind]]


def test_the_upgrade_to_the_best_sources(tmp_path: Path) -> None:
    found = host(ZYPP, tmp_path).forecast("--upgrade", "--realign")
    assert found["next"][-1] == "zypper dist-upgrade"


@pytest.mark.parametrize(
    ("kind", "command"),
    [(DEB, "apt-get dist-upgrade tern"), (ALPM, "pacman -Su tern")],
)  # fmt: skip
def test_requests_along_with_the_full_upgrade(kind: str, command: str, tmp_path: Path) -> None:
    found = host(kind, tmp_path).forecast("tern", "--upgrade")
    assert {change["name"]: change["new"] for change in found["changes"]} == {
        "auk": "2-1", "tern": "1-1",
    }  # fmt: skip
    assert found["next"] == [REFRESH[kind], command]


@pytest.mark.parametrize("kind", [DNF, ZYPP])
def test_where_they_are_two_transactions(kind: str, tmp_path: Path) -> None:
    said = host(kind, tmp_path).run("forecast", "tern", "--upgrade")
    assert said.code == 2
    assert (
        f"on a host of kind {kind} requests and the full upgrade are two transactions" in said.err
    )


@pytest.mark.parametrize("kind", [DEB, DNF, ZYPP])
def test_nothing_to_type_where_nothing_changes_or_it_is_refused(kind: str, tmp_path: Path) -> None:
    harbour = host(kind, tmp_path)
    harbour.installed(Item("auk", "2").on(kind))
    assert harbour.forecast("auk")["next"] == []
    assert harbour.forecast("nobody")["next"] == []
    assert "run next" not in harbour.run("forecast", "auk").out


def test_a_suite_that_means_the_same_is_named(tmp_path: Path) -> None:
    harbour = harbour_of(DEB, tmp_path)
    for name in ("steady", "fresh"):
        version = "1" if name == "steady" else "2"
        harbour.source(name, ("gull", version), Suite=name, Codename=name)  # type: ignore[call-arg]
    harbour.refresh()
    assert harbour.forecast("gull%steady")["next"][-1] == "apt-get install gull/steady"


def test_a_rule_is_named_where_no_command_does_it(tmp_path: Path) -> None:
    """Two sources have the very same version; the installer takes it from the first."""
    harbour = harbour_of(DNF, tmp_path)
    for name in ("one", "two"):
        harbour.source(name, Item("gull", "1").rpm(), settings="gpgcheck=0\n")  # type: ignore[call-arg]
    harbour.refresh()
    first = harbour.forecast("gull")["answers"][0]["source"]
    other = {"one": "two", "two": "one"}[first]
    assert harbour.forecast(f"gull%{other}")["next"] == [
        f"velpin pin gull --from {other}", "dnf makecache --refresh", "dnf install gull",
    ]  # fmt: skip


def test_a_change_ends_with_what_comes_next(tmp_path: Path) -> None:
    harbour = host(DEB, tmp_path)
    _, out, _ = harbour.run("pin", "gull@2*", "--yes", "--json")
    assert json.loads(out)["next"] == ["apt-get update", "apt-get install gull"]
    out = harbour.run("pin", "tern@1-1", "--yes").out
    assert out.endswith("run next\n  apt-get update\n  apt-get install tern\n")
    assert "run next" not in harbour.run("pin", "auk@2-1", "--preview").out


def test_a_refresh_ends_with_the_upgrade_if_there_is_one(tmp_path: Path) -> None:
    harbour = host(DEB, tmp_path)
    assert "run next\n  apt-get update\n  apt-get dist-upgrade\n" in harbour.run("refresh").out
    harbour.installed(Item("auk", "2").on(DEB))
    assert harbour.run("refresh").out.endswith("run next\n  apt-get update\n")


def test_a_setting_leaves_it_out_of_what_people_read(tmp_path: Path) -> None:
    harbour = host(DEB, tmp_path)
    harbour.put("etc/velpin/velpin.toml", "[forecast]\nnext = false\n")
    assert "run next" not in harbour.run("forecast", "tern").out
    assert "run next" not in harbour.run("pin", "tern@1-1", "--yes").out
    assert "run next" not in harbour.run("refresh").out
    assert harbour.forecast("tern")["next"]
    harbour.put("etc/velpin/velpin.toml", "[forecast]\nnext = 0\n")
    said = harbour.run("forecast", "tern")
    assert (said.code, "forecast.next: 0 is not true or false" in said.err) == (3, True)


def test_no_word_is_read_as_an_option(tmp_path: Path) -> None:
    from velpin.core.next_commands import commands_for
    from velpin.model.request import Request

    harbour = host(DEB, tmp_path)
    opened = harbour.host()
    found = opened.forecast(["tern"])
    ports = opened._ports
    odd = Request("tern", "-oDebug=1")
    assert commands_for(ports, [odd], found, files={}) == ()
    assert commands_for(ports, [Request("tern", "tern")], found, files={}) == found.next


@pytest.mark.parametrize("kind", KINDS)
def test_the_steps_of_trying_it_are_not_told(kind: str, tmp_path: Path) -> None:
    told = host(kind, tmp_path).run("forecast", "gull%older", "--debug-steps").err.splitlines()
    assert told
    assert len(told) == len(set(told))
