"""`velpin drop SOURCE --back`: what came from a source goes back to the others, on every kind."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest

from tests.harbours import ALPM, DEB, DNF, ZYPP, DebHarbour, Item
from tests.way_back_host import host

KINDS = (DEB, DNF, ZYPP, ALPM)


def back(harbour: Any, *words: str) -> dict[str, Any]:
    found: dict[str, Any] = json.loads(
        harbour.run("drop", "vendor", "--back", "--json", *words).out
    )
    return found


@pytest.mark.parametrize("kind", KINDS)
def test_each_package_goes_to_what_the_others_have(kind: str, tmp_path: Path) -> None:
    harbour = host(kind, tmp_path)
    told = back(harbour, "--preview")
    rows = {row["name"]: (row["version"], row["source"]) for row in told["back"]}
    assert rows == {"gull": ("1-1", "base"), "auk": (None, None)}
    assert (
        next(r["why"]["text"] for r in told["back"] if r["name"] == "auk")
        == "no other source has it"
    )
    assert any("gull" in line for line in told["next"])
    assert not any("auk" in line for line in told["next"])


@pytest.mark.parametrize("kind", KINDS)
def test_the_way_is_what_the_forecast_says_then(kind: str, tmp_path: Path) -> None:
    harbour = host(kind, tmp_path)
    told = back(harbour, "--yes")
    assert told["entry"]
    assert "vendor" not in harbour.run("sources").out
    found = harbour.forecast("gull@1*", *(["--allow-older"] if kind == ZYPP else []))
    assert {change["name"]: change["new"] for change in found["changes"]} == {"gull": "1-1"}
    assert found["next"] == told["next"]


def test_rules_about_it_go_with_it(tmp_path: Path) -> None:
    harbour = host(DEB, tmp_path)
    for words in (
        ["confine", "vendor", "gull"],
        ["prefer", "base", "--over", "vendor"],
        ["pin", "tern@2-1"],
    ):
        assert harbour.run(*words, "--yes").code == 0
    harbour.run("drop", "vendor", "--back", "--yes")
    assert [str(rule.rule.names) for rule in harbour.host().rules.in_force() if rule.rule] == [
        "('tern',)"
    ]


@pytest.mark.parametrize("kind", KINDS)
def test_what_cannot_go_back_is_told_and_the_rest_goes(kind: str, tmp_path: Path) -> None:
    """What needs the newer version of another cannot let that go."""
    needs = "gull (>= 3)" if kind == DEB else "gull>=3" if kind == ALPM else "gull >= 3"
    more = (Item("skua", "5"), Item("petrel", "1", needs=needs))
    harbour = host(kind, tmp_path, *more, base=(Item("skua", "4"),))
    told = back(harbour, "--preview")
    rows = {row["name"]: row["version"] for row in told["back"]}
    assert rows["skua"] == "4-1"
    if kind == DEB:  # there it is removed along with it
        assert rows["gull"] == "1-1"
    else:
        assert rows["gull"] is None
        assert "petrel" in next(r["why"]["text"] for r in told["back"] if r["name"] == "gull")


def test_people_see_a_table_and_what_to_run(tmp_path: Path) -> None:
    out = host(DEB, tmp_path).run("drop", "vendor", "--back", "--yes").out
    assert "The way back" in out
    assert "no other source has it" in out
    assert out.endswith("run next\n  apt-get update\n  apt-get install gull=1-1\n")


def test_a_source_that_nothing_came_from_has_no_way_back(tmp_path: Path) -> None:
    harbour = DebHarbour(tmp_path)
    harbour.source("base", ("gull", "1"))
    harbour.source("vendor", ("skua", "1"))
    harbour.installed(("gull", "1"))
    out = harbour.refresh().run("drop", "vendor", "--back", "--preview").out
    assert "The way back\nnothing that is installed came from it" in out
    assert "nothing that is installed" not in harbour.run("drop", "base", "--back", "--preview").out
