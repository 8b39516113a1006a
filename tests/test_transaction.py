"""Whole transactions on small deb hosts, each as the real installer was seen to do it."""

from __future__ import annotations

import random
import shutil
from pathlib import Path

import pytest

from tests.deb_statements import write
from tests.harbours import DebHarbour, offer
from velpin.kinds.deb.phasing import draw
from velpin.model.forecast import Forecast


def changes(found: Forecast) -> str:
    """`gull 1>2, tern +1, auk -1`, in the order of names; `refused` where it is."""
    if not found.ok:
        return "refused"
    told = []
    for change in found.changes:
        name = change.name + (f":{change.arch}" if change.foreign else "")
        if change.old and change.new:
            told.append(f"{name} {change.old}>{change.new}")
        else:
            told.append(f"{name} {'+' if change.new else '-'}{change.new or change.old}")
    return ", ".join(told)


ALT = "alt 1"
CASES: list[tuple[str, list[str], list[str], str, str]] = [
    ("recommended ones come along", ["a 1 Recommends: b", "b 1"], [], "a", "a +1, b +1"),
    ("suggested ones do not", ["a 1 Suggests: b", "b 1"], [], "a", "a +1"),
    ("a conflict removes", ["a 1 Conflicts: b"], ["b 1"], "a", "a +1, b -1"),
    ("a break upgrades where that helps", ["a 1 Breaks: b (<< 2)", "b 2"], ["b 1"], "a", "a +1, b 1>2"),
    ("else it removes, with all above", ["a 1 Breaks: b (<< 2)", "b 2 Depends: gone"],
     ["b 1", "bb 1 Depends: b", "bbb 1 Depends: bb"], "a", "a +1, b -1, bb -1, bbb -1"),
    ("essential ones stay", ["a 1 Conflicts: b"], ["b 1 Essential: yes"], "a", "refused"),
    ("protected ones too", ["a 1 Conflicts: b"], ["b 1 Protected: yes"], "a", "refused"),
    ("a rival of a dependency is removed", ["a 1 Depends: c | d", "c 1 Conflicts: b", "d 1"], ["b 1"],
     "a", "a +1, b -1, c +1"),
    ("not one that is asked for", ["a 1 Depends: c | d", "c 1 Conflicts: b", "d 1"], ["b 1"],
     "a b", "a +1, d +1"),
    ("nor one on hold", ["a 1 Depends: c | d", "c 1 Conflicts: b", "d 1"], ["!b 1"], "a", "a +1, d +1"),
    ("dependents of the old version go", ["a 1 Depends: lib (>= 2)", "lib 2"],
     ["lib 1", "p 1 Depends: lib (<< 2)", "q 1 Depends: p"], "a", "a +1, lib 1>2, p -1, q -1"),
    ("or are upgraded too", ["lib 2", "p 2 Depends: lib (>= 2)"], ["lib 1", "p 1 Depends: lib (<< 2)"],
     "lib", "lib 1>2, p 1>2"),
    ("even where another alternative is there", ["lib 2", "x 2"],
     ["lib 1", "p 1 Depends: lib (<< 2) | x", "x 1"], "lib", "lib 1>2"),
    ("binaries of one source go along", ["l 2 Source: s", "l-doc 2 Source: s; Depends: n", "n 1",
     "l-x 2 Source: s; Depends: gone", "l-z 2 Source: s (3)"],
     ["l 1 Source: s", "l-doc 1 Source: s", "l-x 1 Source: s", "l-z 1 Source: s"],
     "l", "l 1>2, l-doc 1>2, n +1"),
    ("also where the installed one was built from another", ["l 2 Source: s", "m 3 Source: s (2)"],
     ["m 1"], "l", "l +2, m 1>3"),
    ("a chain that cannot be had is passed over", ["a 1 Depends: m | alt", "m 1 Depends: k, x",
     "k 1", "x 1 Depends: gone", ALT], [], "a", "a +1, alt +1"),
    ("upgrade of an alternative before a new one", ["a 1 Depends: x (>= 2) | y (>= 2)", "x 2", "y 2"],
     ["y 1"], "a", "a +1, y 1>2"),
    ("the provider of higher priority", ["a 1 Depends: v", "v1 1 Provides: v",
     "v2 1 Provides: v; Priority: required", "v3 1 Provides: v"], [], "a", "a +1, v2 +1"),
    ("of equals the one seen last", ["a 1 Depends: v", "v1 1 Provides: v",
     "v2 1 Provides: v"], [], "a", "a +1, v2 +1"),
    ("a name in an earlier relation counts as seen", ["z 1 Suggests: v2, v1", "a 1 Depends: v",
     "v1 1 Provides: v", "v2 1 Provides: v"], [], "a", "a +1, v1 +1"),
    ("a versioned dependency needs a versioned provider", ["a 1 Depends: v (>= 2)", "v1 1 Provides: v",
     "v2 1 Provides: v (= 2)"], [], "a", "a +1, v2 +1"),
    ("a recommendation that is new in the upgrade", ["a 2 Recommends: c, f", "c 1", "f 1"],
     ["a 1 Recommends: c"], "a", "a 1>2, f +1"),
    ("and one that held before", ["a 2 Recommends: c (>= 2)", "c 2"], ["a 1 Recommends: c", "c 1"],
     "a", "a 1>2, c 1>2"),
    (":any needs `allowed`", ["a 1 Depends: f:any", "f 1 Multi-Arch: foreign"], [], "a", "refused"),
    (":any with it", ["a 1 Depends: f:any", "f 1 Multi-Arch: allowed"], [], "a", "a +1, f +1"),
    ("a foreign one that serves all", ["a 1 Depends: f", "f 1 Architecture: i386; Multi-Arch: foreign"], [],
     "a", "a +1, f:i386 +1"),
    ("not where the architecture is written", ["a 1 Depends: f:amd64",
     "f 1 Architecture: i386; Multi-Arch: foreign"], [], "a", "refused"),
    ("architectures exclude each other", ["h 1", "h 1 Architecture: i386"], ["h 1 Architecture: i386"],
     "h", "h +1, h:i386 -1"),
    ("but for `same`", ["h 1 Multi-Arch: same", "h 1 Architecture: i386; Multi-Arch: same"],
     ["h 1 Architecture: i386; Multi-Arch: same"], "h", "h +1"),
    ("`same` keeps step", ["h 2 Multi-Arch: same", "h 2 Architecture: i386; Multi-Arch: same"],
     ["h 1 Architecture: i386; Multi-Arch: same", "h 1 Multi-Arch: same"], "h", "h 1>2, h:i386 1>2"),
    ("two that exclude each other", ["a 1 Conflicts: b", "b 1"], [], "a b", "refused"),
    ("a new choice gives way to what is asked for", ["a 1 Depends: x | y", "x 1 Conflicts: z", "y 1", "z 1"],
     [], "a z", "a +1, y +1, z +1"),
    ("the order of requests", ["a 1 Depends: m | alt", "m 1 Conflicts: n", "n 1", ALT, "o 1 Depends: n | alt"],
     [], "o a", "a +1, alt +1, n +1, o +1"),
    ("and the other way round", ["a 1 Depends: m | alt", "m 1 Conflicts: n", "n 1", ALT, "o 1 Depends: n | alt"],
     [], "a o", "a +1, alt +1, m +1, o +1"),
    ("what only served a failed choice is left out", ["a 1 Depends: m | alt", "m 1 Depends: k, x",
     "k 1", "x 1 Depends: y", "y 1 Depends: gone", ALT], [], "a", "a +1, alt +1"),
    ("a host that is broken already", ["a 1"], ["b 1 Depends: gone"], "a", "refused"),
    ("unless the request mends it", ["c 1"], ["b 1 Depends: c"], "c", "c +1"),
]  # fmt: skip


@pytest.mark.parametrize(
    ("title", "offers", "installed", "asked", "wanted"), CASES, ids=[case[0] for case in CASES]
)
def test_transactions(
    harbour: DebHarbour,
    title: str,
    offers: list[str],
    installed: list[str],
    asked: str,
    wanted: str,
) -> None:
    write(harbour, offers, installed)
    assert changes(harbour.ready().forecast(asked.split())) == wanted


UPGRADES: list[tuple[str, list[str], list[str], str, str]] = [
    ("everything that fits", ["a 2", "b 2 Depends: n", "n 1"], ["a 1", "b 1"], "a 1>2, b 1>2, n +1", ""),
    ("an essential one that is missing",
     ["hull 1 Essential: yes", "hull 1 Essential: yes; Architecture: i386"], ["a 1"], "hull +1", ""),
    ("not one that is there for another architecture",
     ["hull 1 Essential: yes", "hull 1 Essential: yes; Architecture: i386"],
     ["hull 1 Essential: yes; Architecture: i386"], "", ""),
    ("not what is on hold", ["a 2"], ["!a 1"], "", "a is-held"),
    ("not what cannot be had", ["a 2 Depends: gone"], ["a 1"], "", "a needs"),
    ("not what would need one on hold", ["a 2 Depends: b (>= 2)", "b 2"], ["a 1", "!b 1"], "",
     "a needs, b is-held"),
    ("what is left behind goes", ["lib 2"], ["lib 1", "p 1 Depends: lib (<< 2)", "q 1 Depends: p"],
     "lib 1>2, p -1, q -1", ""),
    ("essential ones that are missing", ["e 1 Essential: yes", "a 2"], ["a 1"], "a 1>2, e +1", ""),
]  # fmt: skip


@pytest.mark.parametrize(
    ("title", "offers", "installed", "wanted", "kept"), UPGRADES, ids=[case[0] for case in UPGRADES]
)
def test_upgrades(
    harbour: DebHarbour, title: str, offers: list[str], installed: list[str], wanted: str, kept: str
) -> None:
    write(harbour, offers, installed)
    found = harbour.ready().forecast_upgrade()
    assert changes(found) == wanted
    assert ", ".join(f"{one.name} {one.why[0].code}" for one in found.held_back) == kept


def test_upgrades_for_a_share_of_hosts(harbour: DebHarbour) -> None:
    offers = [f"p{number} 2 Phased-Update-Percentage: {number * 5}" for number in range(21)]
    write(harbour, [*offers, "q 2 Depends: p0 (>= 2)"], [*(f"p{n} 1" for n in range(21)), "q 1"])
    assert len(harbour.ready().forecast_upgrade().changes) == 22
    harbour.put("etc/machine-id", "0123456789abcdef0123456789abcdef\n")
    found = harbour.host().forecast_upgrade()
    left = {one.name: one.why[0].code for one in found.held_back}
    drawn = {n for n in range(21) if draw(f"p{n}-2-0123456789abcdef0123456789abcdef") > n * 5}
    assert {name for name, code in left.items() if code == "is-phased"} == {f"p{n}" for n in drawn}
    assert left["q"] == "needs"
    assert changes(harbour.host().forecast(["p0"])) == "p0 1>2"


SEEN_LEFT_OUT = "1 11 13 14 15 2 21 22 23 28 30 31 32 39 4 43 46 49 51 54 55 57 58 59 7"


def test_the_number_that_is_drawn_is_the_real_one() -> None:
    def share(number: int) -> int:
        return random.Random(number).randint(1, 99)

    left_out = [
        str(number)
        for number in range(60)
        if draw(f"p{number}-2.{number}-1-0123456789abcdef0123456789abcdef") > share(number)
    ]
    assert sorted(left_out) == sorted(SEEN_LEFT_OUT.split())


@pytest.mark.parametrize(
    ("others", "asked", "wanted"),
    [
        ([], ["a"], "a +1, h -1"),
        ([], ["h"], ""),
        ([], [], ""),
        (["d 1 Depends: h"], ["a"], "refused"),
    ],
)
def test_what_was_left_half_installed(
    harbour: DebHarbour, others: list[str], asked: list[str], wanted: str
) -> None:
    write(harbour, ["a 1", "h 1"], ["h 1", *others])
    record = harbour.read("var/lib/dpkg/status")
    harbour.put(
        "var/lib/dpkg/status",
        record.replace("install ok installed", "install ok half-installed", 1),
    )
    host = harbour.ready()
    assert changes(host.forecast(asked) if asked else host.forecast_upgrade()) == wanted


def test_recommends_as_configured(harbour: DebHarbour) -> None:
    write(harbour, ["a 1 Recommends: b; Suggests: c", "b 1", "c 1"], [])
    harbour.put("etc/apt/apt.conf.d/x", 'APT::Install-Recommends "0"; APT::Install-Suggests "1";')
    assert changes(harbour.ready().forecast(["a"])) == "a +1, c +1"


def test_dependencies_follow_a_named_source_where_they_must(harbour: DebHarbour) -> None:
    harbour.source("base", offer("gull", "1"), offer("tern", "1"))
    newer = [offer("gull", "2", Depends="tern (>= 2)"), offer("tern", "2")]
    fields = {"NotAutomatic": "yes"}
    harbour.source_at(
        "next", harbour.repository("next", *newer, suite="quay", fields=fields), "quay"
    )
    host = harbour.ready()
    assert changes(host.forecast(["gull%quay"])) == "gull +2, tern +2"
    assert changes(host.forecast(["gull@2"])) == "refused"
    assert changes(host.forecast(["gull@2", "tern@2"])) == "gull +2, tern +2"


@pytest.mark.parametrize(
    ("successor", "unneeded"),
    [
        ("a 2", ("b",)),
        ("a 2 Depends: b", ()),
        ("a 2 Recommends: b", ()),
        ("a 2 Recommends: b (>= 5)", ()),  # it speaks of the name, met or not
        ("a 2 Suggests: c", ("b",)),
    ],
)
def test_what_nothing_speaks_of_any_more_is_told(
    harbour: DebHarbour, successor: str, unneeded: tuple[str, ...]
) -> None:
    write(harbour, [successor, "b 1"], ["a 1 Depends: b", "b 1", "c 1"], auto="b")
    found = harbour.ready().forecast(["a"])
    assert (changes(found), found.unneeded) == ("a 1>2", unneeded)


def test_sizes_sources_and_roles(harbour: DebHarbour) -> None:
    write(harbour, ["a 2 Depends: b; Conflicts: c", "b 1"], ["a 1", "c 1"])
    found = harbour.ready().forecast(["a"])
    told = [(c.name, c.role, c.by, c.relation, c.outcome) for c in found.changes]
    assert told == [
        ("a", "asked", None, "", "upgrade"),
        ("b", "requires", "a", "b", "install"),
        ("c", "conflicts", "a", "c", "remove"),
    ]
    assert [c.download_bytes for c in found.changes] == [10_000, 10_000, 0]
    assert [c.disk_bytes for c in found.changes] == [0, 30_720, -30_720]
    assert (found.download_bytes, found.disk_bytes) == (20_000, 0)


def test_a_source_that_changes_is_told(harbour: DebHarbour) -> None:
    harbour.source("base", ("gull", "1"))
    harbour.source("vendor", ("gull", "2"))
    harbour.installed(("gull", "1"))
    (change,) = harbour.ready().forecast(["gull"]).changes
    assert (change.old_source, change.source) == ("base", "vendor")


def test_a_forecast_changes_no_file_and_does_not_depend_on_their_order(
    harbour: DebHarbour, tmp_path: Path
) -> None:
    offers = [
        "a 1 Depends: v; Recommends: r",
        "v1 1 Provides: v",
        "v2 1 Provides: v",
        "r 1 Breaks: b",
    ]
    write(harbour, offers, ["b 1", "c 1"])
    host = harbour.ready()
    before = harbour.files()
    first = host.forecast(["a"])
    assert harbour.files() == before
    again = tmp_path / "again"
    for path in sorted((p for p in harbour.root.rglob("*") if p.is_file()), reverse=True):
        target = again / "root" / path.relative_to(harbour.root)
        target.parent.mkdir(parents=True, exist_ok=True)
        shutil.copy2(path, target)
    assert DebHarbour(again).root == again / "root"
    other = DebHarbour(again)
    for name, (data, _mode) in before.items():
        other.put(name, data)
    assert other.host().forecast(["a"]) == first
