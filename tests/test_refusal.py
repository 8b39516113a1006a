"""Why a request is refused, the ways out that were tried, and how all of it is shown."""

from __future__ import annotations

import json

import pytest

from tests.deb_statements import write
from tests.harbours import DebHarbour, offer
from velpin.model.forecast import Forecast


def told(found: Forecast) -> list[str]:
    """The codes of the chain, causes of causes after a colon."""
    return [
        f"{reason.code} {reason.facts.get('relation', '')}".strip()
        + "".join(f": {cause.code}" for cause in reason.because)
        for reason in found.because
    ]


CHAINS = [
    ("nothing of the name", ["a 1 Depends: gone"], [], "a", ["needs gone: nothing-called"]),
    ("only others", ["a 1 Depends: b (>= 3)", "b 1", "b 2"], [], "a", ["needs b >= 3: none-fits"]),
    ("nothing provides it so", ["a 1 Depends: v (>= 2)", "b 1 Provides: v (= 1)"], [], "a",
     ["needs v >= 2: nothing-fits"]),
    ("an older one would do", ["a 1 Depends: b (<< 2)", "b 1", "b 2"], [], "a",
     ["needs b << 2: takes: would-do"]),
    ("on hold", ["a 1 Depends: b (>= 2)", "b 2"], ["!b 1"], "a", ["needs b >= 2"]),
    ("further down", ["a 1 Depends: b", "b 1 Depends: c", "c 1 Depends: gone"], [], "a",
     ["needs b", "needs c", "needs gone: nothing-called"]),
    ("two alternatives", ["a 1 Depends: b | gone", "b 1 Depends: no"], [], "a",
     ["needs b | gone: no-way-either: nothing-called", "needs no: nothing-called"]),
    ("both asked for", ["a 1 Conflicts: b", "b 1"], [], "a b", ["excludes b: stays-asked"]),
    ("essential", ["a 1 Conflicts: b"], ["b 1 Essential: yes"], "a", ["excludes b: stays-essential"]),
]  # fmt: skip


@pytest.mark.parametrize(
    ("title", "offers", "installed", "asked", "wanted"), CHAINS, ids=[case[0] for case in CHAINS]
)
def test_chains(
    harbour: DebHarbour,
    title: str,
    offers: list[str],
    installed: list[str],
    asked: str,
    wanted: list[str],
) -> None:
    write(harbour, offers, installed)
    found = harbour.ready().forecast(asked.split())
    assert not found.ok
    assert [one.split(": held")[0] for one in told(found)][: len(wanted)] == wanted or (
        title == "on hold" and told(found)
    )


def test_a_broken_host_is_named(harbour: DebHarbour) -> None:
    write(harbour, ["a 1"], ["b 1 Depends: gone"])
    problem = harbour.ready().forecast(["a"]).problem
    assert problem is not None
    assert (problem.code, problem.facts["packages"]) == ("host-unmet", ("b",))


def ways(harbour: DebHarbour, *asked: str) -> list[tuple[str, str]]:
    """Command and code of each way out."""
    found = harbour.ready().forecast(asked)
    assert not found.ok
    return [(way.command, way.what.code) for way in found.remedies]


def test_another_version_asked_for_as_well(harbour: DebHarbour) -> None:
    write(harbour, ["a 1 Depends: b (<< 2)", "b 1", "b 2"], [])
    assert ways(harbour, "a")[0] == ("velpin forecast a b@1", "ask-for-version")
    assert harbour.host().forecast(["a", "b@1"]).ok


def test_another_version_of_what_is_asked(harbour: DebHarbour) -> None:
    write(harbour, ["a 1", "a 2 Depends: gone"], [])
    assert ways(harbour, "a") == [("velpin forecast a@1", "ask-instead")]


def test_a_hold_that_stands_in_the_way(harbour: DebHarbour) -> None:
    write(harbour, ["a 1 Depends: b (>= 2)", "b 2"], ["!b 1"])
    assert ("velpin forecast a b", "ask-for-held") in ways(harbour, "a")


def test_a_source_that_is_off(harbour: DebHarbour) -> None:
    harbour.source("base", ("tern", "1"))
    harbour.source("vendor", offer("gull", "1"))
    harbour.source("more", offer("auk", "1", Depends="gull"))
    harbour.ready()
    assert harbour.run("off", "vendor", "--yes").code == 0
    assert ways(harbour, "auk") == [("velpin on vendor", "source-on")]
    said = harbour.run("forecast", "auk").out
    assert "vendor, switched off, has it" in said
    assert harbour.run("on", "vendor", "--yes").code == 0
    assert harbour.host().forecast(["auk"]).ok


def test_a_record_that_is_in_the_way(harbour: DebHarbour) -> None:
    write(harbour, ["a 1 Depends: b", "b 1"], [])
    rules = "# kept\n\nPackage: b\nPin: release *\nPin-Priority: -1\n\nPackage: c\nPin: version 1\nPin-Priority: 7\n"
    harbour.put("etc/apt/preferences", rules)
    found = harbour.ready().forecast(["a"])
    codes = [way.what.code for way in found.remedies]
    assert codes == ["ask-for-version", "rule-in-the-way"]
    assert found.remedies[1].command == "velpin rules drop etc/apt/preferences:3"
    assert harbour.read("etc/apt/preferences") == rules
    assert harbour.run(*found.remedies[1].command.split()[1:], "--yes").code == 0
    assert (
        harbour.read("etc/apt/preferences")
        == "# kept\n\nPackage: c\nPin: version 1\nPin-Priority: 7\n"
    )
    assert harbour.host().forecast(["a"]).ok


def test_no_way_out_is_named_that_does_not_work(harbour: DebHarbour) -> None:
    write(harbour, ["a 1 Depends: b (<< 2)", "b 1 Depends: gone", "b 2"], [])
    assert ways(harbour, "a") == []


# -- as it is shown ----------------------------------------------------------------------


def test_a_refusal_in_words(harbour: DebHarbour) -> None:
    write(harbour, ["gull 1 Depends: tern (<< 2)", "tern 1", "tern 2"], [])
    harbour.ready()
    said = harbour.run("forecast", "gull")
    assert said.code == 1
    assert said.out.splitlines()[:4] == [
        "gull: refused: its dependencies cannot all be met",
        "  1. gull 1 needs tern << 2",
        "       the host takes tern 2 from base",
        "         2 from base has priority 500, the default",
    ]
    assert "velpin forecast gull tern@1" in said.out
    assert "rules that could give it: velpin want gull" in said.out
    assert harbour.run("want", "gull", "--yes").code == 0
    assert harbour.host().forecast(["gull"]).ok


def test_a_refusal_as_json(harbour: DebHarbour) -> None:
    write(harbour, ["gull 1 Depends: tern (<< 2)", "tern 1", "tern 2"], [])
    harbour.ready()
    told = json.loads(harbour.run("forecast", "--json", "gull").out)
    assert (told["ok"], told["changes"]) == (False, [])
    assert told["because"][0]["code"] == "needs"
    assert [cause["code"] for cause in told["because"][0]["because"]] == ["takes", "would-do"]
    assert told["remedies"][0]["command"] == "velpin forecast gull tern@1"


def test_a_transaction_in_words(harbour: DebHarbour) -> None:
    offers = ["gull 2 Depends: tern; Conflicts: auk", "tern 1 Recommends: kite", "kite 1"]
    write(harbour, offers, ["gull 1", "auk 1"])
    harbour.ready()
    said = harbour.run("forecast", "gull").out.splitlines()
    assert said[0] == "gull 2  from base  upgrades 1"
    heads = [line for line in said if line in ("Removed", "Upgraded", "New (2)")]
    assert heads == ["Removed", "New (2)"]
    assert any(line.split() == ["auk", "1", "gull", "conflicts", "with", "it"] for line in said)
    assert any(
        line.startswith("4 packages: 2 new, 1 upgraded, 1 removed; 30 kB to download")
        for line in said
    )


def test_many_are_counted_unless_all_are_wanted(harbour: DebHarbour) -> None:
    names = [f"bird{number:02}" for number in range(30)]
    write(harbour, [f"gull 1 Depends: {', '.join(names)}", *(f"{name} 1" for name in names)], [])
    harbour.ready()
    assert (
        "new: and 18 more (18 from base); --all shows them" in harbour.run("forecast", "gull").out
    )
    assert (
        "more" not in harbour.run("forecast", "gull", "--all").out.partition("on disk")[0][-200:-30]
    )
    assert "bird29" in harbour.run("forecast", "gull", "--all").out


def test_the_tree(harbour: DebHarbour) -> None:
    offers = [
        "gull 1 Depends: tern; Conflicts: auk",
        "tern 1 Recommends: kite",
        "kite 1 Depends: gull",
    ]
    write(harbour, offers, ["auk 1"])
    harbour.ready()
    said = harbour.run("forecast", "gull", "--tree").out.splitlines()
    assert said[:4] == [
        "gull 1  base",
        "- auk 1 is removed: gull conflicts with it",
        "- tern 1  base",
        "  - kite 1  base  recommends",
    ]


def test_the_upgrade(harbour: DebHarbour) -> None:
    write(harbour, ["a 2", "b 2"], ["a 1", "!b 1"])
    harbour.ready()
    said = harbour.run("forecast", "--upgrade")
    assert said.code == 0
    assert said.out.startswith("the full upgrade\n1 package: 1 upgraded; 10 kB to download")
    assert "Held back (1)\nb 1, not 2 from base\n  it is on hold" in said.out
    told = json.loads(harbour.run("forecast", "--upgrade", "--json").out)
    assert [change["name"] for change in told["changes"]] == ["a"]
    (kept,) = told["held_back"]
    assert (kept["name"], kept["version"], kept["why"][0]["code"]) == ("b", "2", "is-held")


def test_an_upgrade_of_nothing(harbour: DebHarbour) -> None:
    write(harbour, ["a 1"], ["a 1"])
    harbour.ready()
    assert harbour.run("forecast", "--upgrade").out.startswith("the full upgrade changes nothing")


@pytest.mark.parametrize(
    ("words", "said"),
    [
        ([], "which forecast?"),
        (["gull", "--realign"], "--realign goes with a full upgrade alone"),
        (["--upgrade", "--why"], "--why explains the answers to requests"),
    ],
)
def test_what_is_no_forecast(harbour: DebHarbour, words: list[str], said: str) -> None:
    code, out, err = harbour.run("forecast", *words)
    assert (code, out) == (2, "")
    assert err.startswith(f"velpin: {said}")
