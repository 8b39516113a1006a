"""Two states of a host compared: what changes hands, what drifted and why, what is left of a rule,
whether an expectation is met. Each function on values made for it, with both neighbours of a limit."""

from __future__ import annotations

import time
from collections.abc import Mapping, Sequence
from dataclasses import replace
from types import SimpleNamespace
from typing import Any
from unittest.mock import patch

import pytest

from velpin.core import takeover
from velpin.core.hostfile.expect import _few, _Judge, is_for, say
from velpin.core.rule_merge import adds_nothing, merge, remaining, subtract
from velpin.core.shift import newly_removed, taken_over
from velpin.core.snapshot import Snapshot, drift
from velpin.core.takeover import MOST_GLOBS, find_takeover, globs_for
from velpin.errors import Refusal
from velpin.model.hostfile import Condition, Expectation
from velpin.model.reason import Place
from velpin.model.reasons import Unmet
from velpin.model.rule import Bar, Confine, Keep, Pin, Prefer, Rule
from velpin.model.shift import (
    ChangedAnswer,
    ChangedUpgrade,
    PackageSnapshot,
    Selection,
    Shift,
    UpgradeResult,
)  # fmt: skip

ONE, TWO, THEIRS = Selection("1", "base"), Selection("2", "base"), Selection("2", "vendor")
KEPT = Selection("1", "vendor")


# -- what changes hands --------------------------------------------------------------------


def upgrades(*rows: tuple[str, Selection | None, Selection | None]) -> Shift:
    """A shift of packages installed in version 1: each before and after."""
    return Shift(tuple(ChangedUpgrade(name, "x", "1", was, then) for name, was, then in rows))


@pytest.mark.parametrize(
    ("before", "after", "is_taken", "is_removed"),
    [
        (ONE, THEIRS, True, False),
        (TWO, THEIRS, True, False),
        (None, THEIRS, True, False),
        (KEPT, THEIRS, False, False),
        (ONE, KEPT, False, False),
        (ONE, TWO, False, False),
        (ONE, None, False, True),
        (THEIRS, None, False, True),
        (None, None, False, False),
    ],
    ids=["from the distribution", "from its newer one", "from nowhere", "it had it before",
         "the same version", "elsewhere", "gone", "gone from the vendor", "gone as before"],
)  # fmt: skip
def test_what_changes_hands(
    before: Selection | None, after: Selection | None, is_taken: bool, is_removed: bool
) -> None:
    shift = upgrades(("other", ONE, TWO), ("gull", before, after))
    assert taken_over(shift, ["new", "vendor"]) == (["gull"] if is_taken else [])
    assert taken_over(shift, ["new"]) == []
    assert newly_removed(shift) == (["gull"] if is_removed else [])


class After:
    """A host with a change: which rules would prevent it, and what an upgrade brings new."""

    def __init__(
        self, *prevents: Rule, brings: Sequence[str] = (),
        leaves: Mapping[str, Selection | None] | None = None,
    ) -> None:  # fmt: skip
        self.prevents, self.brings = prevents, brings
        self.leaves = {"gull": THEIRS} if leaves is None else leaves
        self.tried: list[Rule] = []

    def plan_rules(self, rules: Sequence[Rule]) -> Any:
        self.tried += rules
        return SimpleNamespace(error=None, unmet=None, rule=rules[0])

    def considering(self, plan: Any) -> Any:
        stays = plan.rule in self.prevents
        found = UpgradeResult(
            {(name, "x"): ("1", ONE if stays else then) for name, then in self.leaves.items()}
        )
        return SimpleNamespace(selections=found.selections)

    def forecast_upgrade(self) -> Any:
        made = [SimpleNamespace(name=name, source="vendor", old=None) for name in self.brings]
        made += [SimpleNamespace(name="old", source="vendor", old="1"),
                 SimpleNamespace(name="else", source="base", old=None)]  # fmt: skip
        return SimpleNamespace(changes=made)


@pytest.fixture(autouse=True)
def _asked_of_the_made_up_host(monkeypatch: pytest.MonkeyPatch) -> None:
    for name, ask in {
        "plan_rules": After.plan_rules,
        "considering": After.considering,
        "forecast_upgrade": After.forecast_upgrade,
        "after_upgrade": lambda host: host,
    }.items():
        monkeypatch.setattr(takeover, name, ask)


def alone(*names: str) -> tuple[ChangedAnswer, ...]:
    found = [ChangedAnswer(name, None, THEIRS) for name in names]
    return (*found, ChangedAnswer("was", ONE, THEIRS), ChangedAnswer("left", None, ONE))


CONFINE = Confine("vendor", ("gullwatch*",))
BAR = Bar(("gull",), source="vendor")
KEEP = Keep(("gull",))


@pytest.mark.parametrize(
    ("prevents", "named", "command", "tried"),
    [
        ((CONFINE, BAR, KEEP), (), "velpin confine vendor 'gullwatch*'", 1),
        ((BAR, KEEP), (), "velpin bar gull --from vendor", 2),
        ((KEEP,), (), "velpin keep gull", 3),
        ((), (), "", 3),
        ((Confine("vendor", ("mine", "gullwatch*")),), ("mine",),
         "velpin confine vendor mine 'gullwatch*'", 1),
        ((Confine("vendor", ("mine",)),), ("mine",), "velpin confine vendor mine", 2),
    ],
)  # fmt: skip
def test_the_first_rule_that_prevents_it_is_told(
    prevents: tuple[Rule, ...], named: tuple[str, ...], command: str, tried: int
) -> None:
    shift = upgrades(("gull", ONE, THEIRS))._replace(answers=alone("gullwatch", "gullwatch-doc"))
    host = After(*prevents)
    found = find_takeover(host, shift, ["vendor"], named)  # type: ignore[arg-type]
    assert found is not None
    assert (found.handles, found.names, found.removed) == (("vendor",), ("gull",), ())
    assert (found.command, len(host.tried)) == (command, tried)


@pytest.mark.parametrize(
    ("shift", "handles", "named", "names", "removed"),
    [
        (upgrades(), ["vendor"], [], None, None),
        (upgrades(("gull", ONE, THEIRS)), ["vendor"], ["gull"], None, None),
        (upgrades(("gull", ONE, THEIRS)), ["vendor"], ["g*"], None, None),
        (
            upgrades(("gull", ONE, THEIRS), ("tern", ONE, THEIRS)),
            ["vendor"],
            ["gull"],
            ("tern",),
            (),
        ),
        (upgrades(("gull", ONE, THEIRS)), ["base"], [], None, None),
        (upgrades(("gull", ONE, None)), ["vendor"], [], (), ("gull",)),
        (upgrades(("gull", ONE, None)), [], [], None, None),
        (upgrades(("gull", ONE, None)), ["vendor"], ["gull"], None, None),
        (
            upgrades(("gull", ONE, None), ("tern", ONE, THEIRS)),
            ["vendor"],
            [],
            ("tern",),
            ("gull",),
        ),
    ],
)
def test_what_counts_as_a_takeover(
    shift: Shift, handles: list[str], named: list[str], names: object, removed: object
) -> None:
    found = find_takeover(After(), shift, handles, named)  # type: ignore[arg-type]
    assert (found and found.names, found and found.removed) == (names, removed)


def test_with_two_sources_no_rule_is_looked_for() -> None:
    host, shift = After(CONFINE, BAR, KEEP), upgrades(("gull", ONE, THEIRS))
    found = find_takeover(host, shift, ["vendor", "other"], [])  # type: ignore[arg-type]
    assert found is not None
    assert (found.command, host.tried) == ("", [])


def test_what_pushes_something_out_is_barred() -> None:
    host = After(brings=["pusher", "pusher"], leaves={"gull": None})
    shift = upgrades(("gull", ONE, None))._replace(answers=alone("pusher", "spare"))
    found = find_takeover(host, shift, ["vendor"], [])  # type: ignore[arg-type]
    assert found is not None
    assert host.tried == [
        Confine("vendor", ("spare",)), Bar(("pusher",), source="vendor"),
        Keep(("gull",)),
    ]  # fmt: skip


@pytest.mark.parametrize("count", [MOST_GLOBS, MOST_GLOBS + 1])
def test_a_rule_of_too_many_names_is_not_tried(count: int) -> None:
    names = [f"{letter}-tool" for letter in "abcdefghi"[:count]]
    host = After(leaves=dict.fromkeys(names, THEIRS))
    find_takeover(host, upgrades(*((name, ONE, THEIRS) for name in names)), ["vendor"], [])  # type: ignore[arg-type]
    assert [rule.kind for rule in host.tried] == (["bar", "keep"] if count == MOST_GLOBS else [])


@pytest.mark.parametrize(
    ("names", "others", "globs"),
    [
        ([], [], []),
        (["a"], [], ["a"]),
        (["ab", "a"], [], ["a*"]),
        (["ab", "a"], ["ac"], ["a", "ab"]),
        (["ab", "a"], ["b"], ["a*"]),
        (["a", "b"], [], ["a", "b"]),
        (["bb", "a", "b"], [], ["a", "b*"]),
        (list("abcdefghijkl"), [], list("abcdefghi")),
    ],
)
def test_globs_mean_some_names_and_no_other(
    names: list[str], others: list[str], globs: list[str]
) -> None:
    assert globs_for(names, others) == globs


# -- what drifted --------------------------------------------------------------------------


def snapshot(package: PackageSnapshot | None, **on: bool) -> Snapshot:
    sources = {name: {"on": is_on} for name, is_on in ({"base": True} | on).items()}
    return Snapshot(0.0, {}, sources, [], [package] if package else [], [])


def package(
    next_: Selection | None = ONE, *offers: tuple[str, str, int], installed: str | None = "1",
    held: bool = False,
) -> PackageSnapshot:  # fmt: skip
    return PackageSnapshot("gull", "x", installed, next_, held, offers or (("1", "base", 500),))


B1, B2, V2 = ("1", "base", 500), ("2", "base", 500), ("2", "vendor", 500)


@pytest.mark.parametrize(
    ("then", "now", "causes"),
    [
        (snapshot(package()), snapshot(package()), None),
        (snapshot(package()), snapshot(None), ("host",)),
        (snapshot(None), snapshot(package()), ("host",)),
        (snapshot(package()), snapshot(package(TWO, B1, B2)), ("content",)),
        (snapshot(package()), snapshot(package(TWO, B1, B2, installed="0")), ("host", "content")),
        (snapshot(package()), snapshot(package(TWO, B1, B2, held=True)), ("host", "content")),
        (snapshot(package()), snapshot(package(THEIRS, B1, V2), vendor=True), ("sources",)),
        (snapshot(package(), vendor=False), snapshot(package(THEIRS, B1, V2), vendor=True), ("sources",)),
        (snapshot(package(), vendor=True), snapshot(package(THEIRS, B1, V2), vendor=True), ("content",)),
        (snapshot(package(THEIRS, B1, V2), vendor=True), snapshot(package(ONE, B1), vendor=False), ("sources",)),
        (snapshot(package(ONE, B1, ("2", "base", -1))), snapshot(package(TWO, B1, B2)), ("rule",)),
        (snapshot(package(ONE, B1, B2)), snapshot(package(TWO, ("1", "base", 1), B2)), ("rule",)),
        (snapshot(package(ONE, B1, B2)), snapshot(package(TWO, B1, B2)), ("others",)),
        (snapshot(package(ONE, B1, B2, ("3", "base", 9))), snapshot(package(TWO, B1, B2)), ("content",)),
        (snapshot(package(ONE, B1, B2, ("3", "base", 9))), snapshot(package(TWO, B1, B2, ("3", "base", 8))), ("rule",)),
    ],
    ids=["nothing", "it went", "it came", "a new version", "and another installed", "and held",
         "a new source", "one switched on", "one that is on has it now", "one switched off",
         "its priority", "the other's priority", "what others need", "another offer went",
         "another offer's priority"],
)  # fmt: skip
def test_why_something_drifted(then: Snapshot, now: Snapshot, causes: object) -> None:
    found = [each.causes for each in drift(then, now)]
    assert found == ([] if causes is None else [causes])


# -- rules ---------------------------------------------------------------------------------


def prefer(*over: str, under: tuple[str, ...] = (), over_all: bool = False) -> Rule:
    return Prefer("a", over, under=under, over_all=over_all)


PIN = Pin(("gull", "tern"), "1")


@pytest.mark.parametrize(
    ("stand", "new", "merged"),
    [
        ([], BAR, [BAR]),
        ([CONFINE], BAR, [CONFINE, BAR]),
        ([BAR], replace(BAR, names=("tern",)), [replace(BAR, names=("gull", "tern"))]),
        ([BAR], replace(BAR, source="base"), [BAR, replace(BAR, source="base")]),
        ([PIN], replace(PIN, names=("gull",), version="2"),
         [replace(PIN, names=("tern",)), replace(PIN, names=("gull",), version="2")]),
        ([PIN], replace(PIN, version="2"), [replace(PIN, version="2")]),
        ([PIN], replace(PIN, names=("auk",)), [replace(PIN, names=("gull", "tern", "auk"))]),
        ([prefer("b")], prefer("c"), [prefer("b", "c")]),
        ([prefer("b", "gone")], prefer("c"), [prefer("b", "c")]),
        ([prefer("b")], prefer(under=("b",)), [prefer(under=("b",))]),
        ([prefer("b", under=("c",))], prefer("c"), [prefer("b", "c")]),
        ([prefer("b", under=("c",))], prefer(over_all=True), [prefer(over_all=True)]),
        ([prefer(over_all=True)], prefer(under=("c",)), [prefer(under=("c",), over_all=True)]),
        ([prefer("b")], replace(prefer("c"), source="z"), [prefer("b"), replace(prefer("c"), source="z")]),
    ],
)  # fmt: skip
def test_rules_of_one_subject_are_merged(stand: list[Rule], new: Rule, merged: list[Rule]) -> None:
    assert merge(stand, new, lambda handle: handle != "gone") == merged


@pytest.mark.parametrize(
    ("stand", "new", "nothing"),
    [
        ([PIN], PIN, True), ([PIN], replace(PIN, names=("tern", "gull")), True),
        ([PIN], replace(PIN, names=("tern",)), True), ([PIN], replace(PIN, version="2"), False),
        ([PIN], replace(PIN, names=("tern", "auk")), False), ([CONFINE, PIN], PIN, True),
        ([prefer("b", "c")], prefer("c"), True), ([prefer("b")], prefer("c"), False),
        ([prefer(over_all=True)], prefer("b"), True), ([], BAR, False),
    ],
)  # fmt: skip
def test_a_rule_that_stands_adds_nothing(stand: list[Rule], new: Rule, nothing: bool) -> None:
    assert adds_nothing(stand, new, lambda _handle: True) == nothing


@pytest.mark.parametrize(
    ("old", "lifted", "left"),
    [
        (PIN, PIN, None),
        (PIN, replace(PIN, names=("gull",)), replace(PIN, names=("tern",))),
        (PIN, replace(PIN, names=("auk",)), PIN),
        (PIN, replace(PIN, names=()), None),
        (PIN, replace(PIN, version=""), None),
        (PIN, replace(PIN, version="2"), PIN),
        (BAR, PIN, BAR),
        (BAR, replace(BAR, source=""), None),
        (BAR, replace(BAR, source="VENDOR"), None),
        (BAR, replace(BAR, source="base"), BAR),
        (BAR, replace(BAR, components=("main",)), BAR),
        (BAR, replace(BAR, pre_releases=True), BAR),
        (prefer("b", "c"), prefer("b"), prefer("c")),
        (prefer("b", under=("c",)), prefer("c"), prefer("b")),
        (prefer("b", under=("c",)), prefer(under=("b",)), prefer(under=("c",))),
        (prefer("b"), prefer("b"), None),
        (prefer("b"), prefer(), None),
        (prefer(over_all=True), prefer("b"), prefer(over_all=True)),
        (prefer(under=("b",), over_all=True), prefer(over_all=True), prefer(under=("b",))),
        (prefer("b"), prefer(over_all=True), prefer("b")),
    ],
)
def test_what_is_left_of_a_rule(old: Rule, lifted: Rule, left: Rule | None) -> None:
    assert subtract(old, lifted, lambda one, other: one == other.lower()) == left


def test_what_is_lifted_must_stand() -> None:
    def same(one: str, other: str) -> bool:
        return one == other

    assert remaining([PIN, BAR], [replace(PIN, names=("gull",))], same) == [
        replace(PIN, names=("tern",)),
        BAR,
    ]
    assert remaining(
        [PIN, BAR], [replace(PIN, names=("gull",)), replace(PIN, names=("tern",))], same
    ) == [BAR]
    for lifted in ([CONFINE], [BAR, CONFINE], [CONFINE, BAR]):
        with pytest.raises(Refusal, match="no rule of velpin says: velpin confine"):
            remaining([PIN, BAR], lifted, same)


# -- expectations --------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("when", "fits"),
    [
        ({}, True),
        ({"kinds": ("deb",)}, True), ({"kinds": ("alpm", "deb")}, True), ({"kinds": ("alpm",)}, False),
        ({"hosts": ("mooring",)}, True), ({"hosts": ("wide",)}, True), ({"hosts": ("other",)}, False),
        ({"releases": ("jetty",)}, True), ({"releases": ("4.2",)}, True), ({"releases": ("4",)}, True),
        ({"releases": ("2",)}, False), ({"releases": ("4.20",)}, False),
        ({"archs": ("amd64",)}, True), ({"archs": ("i386",)}, False),
        ({"kinds": ("deb",), "archs": ("i386",)}, False), ({"kinds": ("alpm",), "archs": ("amd64",)}, False),
        ({"kinds": ("deb",), "hosts": ("wide",), "releases": ("4",), "archs": ("amd64",)}, True),
    ],
)  # fmt: skip
def test_what_a_condition_is_for(when: dict[str, Any], fits: bool) -> None:
    release = {
        "ID": "mooring",
        "ID_LIKE": "far wide",
        "VERSION_ID": "4.2",
        "VERSION_CODENAME": "jetty",
    }
    host: Any = SimpleNamespace(
        kind="deb", configuration=SimpleNamespace(release=release, native="amd64")
    )
    assert is_for(host, Condition(**when)) == fits


def judged(
    expectation: Expectation, *, answer: tuple[str | None, str] = ("2", "vendor"), ok: bool = True,
    changes: Sequence[tuple[str, str | None]] = (), upgrade_ok: bool = True,
    ages: Mapping[str, float | None] | None = None, offers: Mapping[str, Sequence[str]] | None = None,
    comes: Mapping[str, str] | None = None, then: Mapping[str, str] | None = None,
) -> str:  # fmt: skip
    """What an expectation finds wrong; empty where it is met."""
    version, source = answer
    told = SimpleNamespace(version=version, source=source, problem=None, reasons=(Unmet(),))
    handles = {
        "base": "base",
        "vendor-old": "vendor",
        "vendor-new": "vendor",
        **dict.fromkeys(ages or {}, ""),
    }
    made = {
        handle: SimpleNamespace(
            handle=handle, repository=repository, on=handle != "off", address=handle, release=""
        )
        for handle, repository in handles.items()
    }
    now = time.time()
    seen = {
        handle: None if days is None else now - days * 86400
        for handle, days in (ages or {}).items()
    }
    adapter: Any = SimpleNamespace(
        configuration=SimpleNamespace(
            by_handle=made, sources=[made[handle] for handle in (ages if ages is not None else made)]
        ),
        packages=SimpleNamespace(
            compare=lambda one, other: int(one) - int(other), installed_names=lambda: {"here"}
        ),
        indexes=SimpleNamespace(holder=lambda _source: "velpin"),
        standing=SimpleNamespace(
            parts_of=lambda source: SimpleNamespace(dated=seen.get(source.handle))
        ),
        view=SimpleNamespace(cache=SimpleNamespace(fetched=lambda _address, _release: None)),
        answers=SimpleNamespace(first=lambda name: SimpleNamespace(source=comes[name]) if comes and name in comes else None),
    )  # fmt: skip
    selections = {
        (name, "x"): ("1", Selection("1", handle)) for name, handle in (then or {}).items()
    }
    host: Any = SimpleNamespace(
        forecast=lambda _names: SimpleNamespace(answers=[told], ok=ok, problem=Unmet()),
        forecast_upgrade=lambda: SimpleNamespace(
            ok=upgrade_ok, changes=[SimpleNamespace(name=name, new=new) for name, new in changes]),
        after_upgrade=lambda: UpgradeResult(selections),
        offers_from=lambda handle: [SimpleNamespace(name=name) for name in (offers or {}).get(handle, ())],
    )  # fmt: skip
    asked = {
        "bare_forecast": lambda _ports, names: host.forecast(names),
        "forecast_upgrade": lambda _ports: host.forecast_upgrade(),
        "after_upgrade": lambda _ports: host.after_upgrade(),
        "offers_from": lambda _ports, handle: host.offers_from(handle),
    }
    with patch.multiple("velpin.core.hostfile.expect", **asked):
        return _Judge(adapter).of(expectation).found


def expect(**more: Any) -> Expectation:
    return Expectation(Condition(), Place("host.toml", 1), **more)


def gull(**more: Any) -> Expectation:
    return expect(package="gull", **more)


@pytest.mark.parametrize(
    ("expectation", "facts", "found"),
    [
        (gull(source="vendor"), {}, ""),
        (gull(source="base"), {}, "comes from vendor in version 2"),
        (gull(source="vendor"), {"answer": ("2", "vendor-new")}, ""),
        (gull(source="vendor-old"), {"answer": ("2", "vendor-new")}, "comes from vendor-new in version 2"),
        (gull(source="base"), {"answer": ("2", "")}, "comes from no source in version 2"),
        (gull(source="base"), {"answer": (None, "")}, "is not available"),
        (gull(source="vendor"), {"ok": False}, "is not available"),
        (gull(version="2"), {}, ""), (gull(version="2*"), {"answer": ("20", "x")}, ""),
        (gull(version="2"), {"answer": ("20", "x")}, "comes in version 20"),
        (gull(version=">=2"), {}, ""), (gull(version=">=3"), {}, "comes in version 2"),
        (gull(version=">2"), {}, "comes in version 2"), (gull(version=">1"), {}, ""),
        (gull(version="<=2"), {}, ""), (gull(version="<=1"), {}, "comes in version 2"),
        (gull(version="<2"), {}, "comes in version 2"), (gull(version="<3"), {}, ""),
        (gull(version="=2"), {}, ""), (gull(version="= 2"), {}, ""), (gull(version="=3"), {}, "comes in version 2"),
        (gull(source="base", version="3"), {}, "comes from vendor in version 2; comes in version 2"),
        (gull(at_most="2"), {}, ""), (gull(at_most="1"), {}, "would be upgraded to 2"),
        (gull(at_most="2"), {"changes": [("gull", "3")]}, "would be upgraded to 3"),
        (gull(at_most="3"), {"changes": [("gull", "3")]}, ""),
        (gull(at_most="2"), {"changes": [("tern", "3"), ("gull", None)]}, ""),
        (gull(absent=True), {}, ""), (gull(absent=True), {"changes": [("gull", "1")]}, "comes with the next upgrade"),
        (gull(absent=True), {"changes": [("gull", None), ("tern", "1")]}, ""),
        (expect(package="here", absent=True), {}, "is installed"),
        (expect(no_removals=True), {"changes": [("gull", "2")]}, ""),
        (expect(no_removals=True), {"changes": [("gull", "2"), ("tern", None), ("auk", None)]},
         "the next upgrade would remove tern, auk"),
        (expect(no_removals=True), {"upgrade_ok": False}, "the next upgrade would be refused"),
        (expect(days=7), {"ages": {"a": 6.99, "b": 1}}, ""), (expect(days=7), {"ages": {"a": None, "b": 1}}, "older: a (none)"),
        (expect(days=7), {"ages": {"off": 99, "b": 1}}, ""),
        (expect(source="vendor", only=("gull*",)), {"offers": {"vendor-new": ["gull", "gulls"]}}, ""),
        (expect(source="nobody", only=("gull*",)), {}, "there is no source nobody"),
        (expect(source="vendor", only=("gull",)),
         {"offers": {"vendor-old": ["tern"], "vendor-new": ["auk", "gull"]}, "comes": {"tern": "vendor-old", "auk": "base"}},
         "so do tern"),
        (expect(source="vendor", only=("gull",)), {"then": {"skua": "vendor-new", "gull": "vendor-new", "knot": "base"}},
         "so do skua"),
    ],
)  # fmt: skip
def test_what_an_expectation_finds_wrong(
    expectation: Expectation, facts: dict[str, Any], found: str
) -> None:
    assert judged(expectation, **facts) == found


def test_an_index_is_old_when_it_is_older_than_so_many_days() -> None:
    for days, is_old in ((6.99, False), (7.01, True)):
        found = judged(expect(days=7), ages={"a": 1, "b": days})
        assert found.startswith("older: b (") == is_old


@pytest.mark.parametrize(
    ("count", "said"),
    [
        (1, "a"),
        (6, "a, b, c, d, e, f"),
        (7, "a, b, c, d, e, f and 1 more"),
        (8, "a, b, c, d, e, f and 2 more"),
    ],
)
def test_a_few_of_many(count: int, said: str) -> None:
    assert _few("abcdefgh"[:count]) == said


@pytest.mark.parametrize(
    ("expectation", "said"),
    [
        (gull(absent=True), "gull is absent"),
        (gull(source="vendor"), "gull from vendor"),
        (
            gull(source="vendor", version=">=2", at_most="3"),
            "gull from vendor in version >=2 not beyond 3",
        ),
        (expect(no_removals=True), "the next upgrade removes nothing"),
        (expect(days=3), "no index older than 3 days"),
        (expect(source="vendor", only=("gull", "tern*")), "only gull tern* from vendor"),
    ],
)
def test_an_expectation_in_words(expectation: Expectation, said: str) -> None:
    assert say(expectation) == said
