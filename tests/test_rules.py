"""Rules as a person makes them: compiled, proved, contradicted, taken back; rules as listed."""

from __future__ import annotations

import json

import pytest

from tests.harbours import DebHarbour, offer
from velpin.model.rule import Prefer

OWN = "etc/apt/preferences.d/00velpin.pref"


@pytest.fixture
def two(harbour: DebHarbour) -> DebHarbour:
    """A base, and a vendor that has newer versions of two packages and one of its own."""
    harbour.source(
        "base", ("tide-lib", "1.0"), ("tide-lib", "0.9"), ("gull", "1.0"), ("tern", "1.0")
    )
    vendor = [("tide-lib", "2.0"), ("gull", "2.0"), ("gull", "3.0~rc1"),
              offer("gull-watch", "1.0", Depends="gull (>= 2), tide-lib (>= 2)")]  # fmt: skip
    harbour.source("vendor", *vendor)
    harbour.installed(("tide-lib", "1.0"), ("gull", "1.0"), ("tern", "1.0"))
    harbour.ready()
    return harbour


def make(harbour: DebHarbour, *lines: str) -> None:
    """Make some rules that must succeed."""
    for line in lines:
        said = harbour.run(*line.split(), "--yes")
        assert said.code == 0, said.out + said.err


def refused(harbour: DebHarbour, line: str, code: int = 1) -> str:
    """What is said against a rule; nothing may have changed."""
    before = harbour.files()
    said = harbour.run(*line.split(), "--yes")
    assert said.code == code, said.out + said.err
    assert harbour.files() == before
    return said.err


def answer(harbour: DebHarbour, name: str) -> tuple[str | None, str | None]:
    """Version and source that a forecast gives."""
    found = harbour.host().forecast([name]).answers[0]
    return found.version, found.source


# -- what they become --------------------------------------------------------------------


@pytest.mark.parametrize(
    ("line", "records"),
    [
        ("prefer base --over vendor", ["*|release o=base|510"]),
        ("prefer vendor --under base", ["*|release o=vendor|490"]),
        ("confine vendor gull*", ["gull*:any|release o=vendor|500", "*|release o=vendor|-1"]),
        ("pin gull@2.0", ["gull:any|version 2.0|990"]),
        ("pin gull:amd64@2.0", ["gull:amd64|version 2.0|990"]),
        ("pin gull@2.0 --from vendor", ["gull:any|version 2.0|990"]),
        ("pin gull tern --from base", ["gull:any tern:any|release o=base|990"]),
        ("pin tide-lib@0.9 --allow-older", ["tide-lib:any|version 0.9|1001"]),
        ("bar gull@3* ", ["gull:any|version 3*|-1"]),
        ("bar gull tide-* --from vendor", ["gull:any tide-*:any|release o=vendor|-1"]),
        ("keep gull", ["gull:any|release a=now|999"]),
    ],
)
def test_the_smallest_set_of_records(two: DebHarbour, line: str, records: list[str]) -> None:
    make(two, line)
    found = two.ports().state.configuration.preferences.records
    assert [
        f"{' '.join(r.names) or '*'}|{r.pin.kind} {r.pin.text}|{r.priority}" for r in found
    ] == records
    assert "Explanation: velpin " in two.read(OWN)
    assert two.run(*line.split(), "--yes").out.startswith("✓ unchanged: ")
    make(two, line + " --lift")
    assert not (two.root / OWN).exists()


def test_the_same_version_of_two_sources_from_the_one_that_is_said(two: DebHarbour) -> None:
    two.source_at("a-twin", two.repository("twin", ("gull", "2.0")))
    two.ready()
    assert "has exactly the same gull" in refused(two, "pin gull@2.0 --from vendor")
    two.repository("twin", offer("gull", "2.0", Depends="tern"))
    two.ready()
    assert answer(two, "gull@2.0") == ("2.0", "twin")
    make(two, "pin gull@2.0 --from vendor")
    assert answer(two, "gull") == ("2.0", "vendor")


def test_a_chain_of_orders_settles_together(two: DebHarbour) -> None:
    two.source("third", ("gull", "9"))
    two.ready()
    make(two, "prefer vendor --over third", "prefer base --over vendor")
    assert answer(two, "gull") == ("1.0", "base")
    assert "third" in refused(two, "prefer third --over base")
    make(two, "prefer base --over vendor --lift")
    assert answer(two, "gull") == ("3.0~rc1", "vendor")


def test_orders_of_one_source_are_one_rule(two: DebHarbour) -> None:
    two.source("third", ("gull", "9"), ("tern", "9"))
    two.ready()
    make(two, "prefer base --over vendor", "prefer base --over third")
    (rule,) = two.host().rules.in_force()
    assert rule.rule is not None
    assert rule.rule.over == ("vendor", "third")
    assert (answer(two, "gull"), answer(two, "tern")) == (("1.0", "base"), ("1.0", "base"))
    make(two, "prefer base --over third --lift")
    assert "Explanation: velpin prefer base --over vendor\n" in two.read(OWN)
    make(two, "prefer base --under vendor")  # the last word about vendor
    assert "--over" not in two.read(OWN)
    make(two, "prefer base --over-all")
    assert answer(two, "gull") == ("1.0", "base")
    told = refused(two, "prefer base --under third")
    assert "make room first: velpin prefer third --over vendor" in told
    make(two, "prefer third --over vendor", "prefer base --under third")
    assert "velpin prefer base --under third --over-all" in two.read(OWN)
    assert answer(two, "gull") == ("9", "third")
    make(two, "prefer base --over-all --lift", "prefer base --under third --lift")
    make(two, "prefer third --lift")
    assert not (two.root / OWN).exists()


def test_orders_are_settled_whatever_came_first(two: DebHarbour) -> None:
    two.source("third", ("gull", "9"))
    two.ready()
    host = two.host()
    rules = [Prefer("base", ("vendor",), under=("third",)),
              Prefer("third", ("vendor",))]  # fmt: skip
    for order in (rules, rules[::-1]):
        plan = host.rules.plan(order)
        assert (plan.error, plan.unmet) == (None, None)
        after = two.ports().with_edits(plan.edits)
        priorities = {
            origin.source: origin.priority.value for origin, _ in after.state.indexes.origins
        }
        assert priorities["third"] > priorities["base"] > priorities["vendor"] == 500


def test_rules_about_a_source_that_is_gone(two: DebHarbour) -> None:
    make(two, "confine vendor gull", "prefer base --over vendor", "pin tern --from base")
    said = two.run("drop", "vendor", "--yes").out
    assert "velpin confine vendor gull --lift" in said
    told = json.loads(two.run("rules", "--json").out)["rules"]
    assert {rule["rule"]: rule["dead"] and rule["dead"]["code"] for rule in told} == {
        "velpin pin tern --from base": None, "velpin prefer base --over vendor": None,
        "velpin confine vendor gull": "rule-no-source",
    }  # fmt: skip
    two.source("third", ("gull", "9"))
    two.ready()
    make(two, "prefer base --over third")
    assert answer(two, "gull") == ("1.0", "base")
    make(two, "keep gull", "confine vendor gull --lift", "prefer base --lift")
    assert [rule.rule and rule.rule.kind for rule in two.host().rules.in_force()] == ["keep", "pin"]
    assert "no rule of velpin says" in refused(two, "prefer base --over vendor --lift")


def test_rules_by_the_repositorys_name_and_said_again(two: DebHarbour) -> None:
    make(two, "confine vendor gull", "confine vendor gull-watch")
    assert "gull:any gull-watch:any" in two.read(OWN)
    assert answer(two, "tide-lib") == ("1.0", "base")
    make(two, "confine vendor gull-watch --lift")
    assert not two.host().forecast(["gull-watch"]).ok
    make(two, "pin gull@2.0", "pin gull@3.0~rc1")
    assert "2.0" not in two.read(OWN)
    make(two, "pin gull --lift", "confine vendor --lift")
    assert not (two.root / OWN).exists()


def test_what_confined_packages_lack_is_said(two: DebHarbour) -> None:
    said = two.run("confine", "vendor", "gull*", "--preview")
    assert "velpin confine vendor tide-lib" in said.out
    make(two, "confine vendor gull*", "confine vendor tide-lib")
    assert two.host().forecast(["gull-watch"]).ok


def test_what_is_the_very_same_elsewhere(two: DebHarbour) -> None:
    two.source_at("zz-twin", two.repository("twin", ("gull", "3.0~rc1")))
    two.ready()
    said = two.run("confine", "twin", "absent-*", "--anyway", "--preview").out
    assert "very same" not in said
    said = two.run("confine", "vendor", "gull-watch", "--preview").out
    assert "vendor is listed before twin, which has exactly the same versions" in said
    assert "still download these from there: gull\n" in said
    assert (
        "vendor is listed before twin" in two.run("bar", "*", "--from", "vendor", "--preview").out
    )
    make(two, "bar gull --from vendor")  # a record for the version holds wherever it is
    assert answer(two, "gull") == ("1.0", "base")


def test_records_for_source_packages_are_rivals_too(two: DebHarbour) -> None:
    two.source("vendor", offer("tide-doc", "2.0", Source="tide"))
    two.put(
        "etc/apt/preferences.d/hand", "Package: src:t*\nPin: release o=vendor\nPin-Priority: 600\n"
    )
    two.ready()
    assert "etc/apt/preferences.d/hand:1" in refused(two, "confine vendor gull-watch --anyway")


def test_pre_releases_and_fast_sections_are_kept_out(two: DebHarbour, harbour: DebHarbour) -> None:
    make(two, "bar --pre-releases --from vendor")
    assert answer(two, "gull") == ("2.0", "vendor")
    make(two, "bar --pre-releases --from vendor --lift")
    assert "no such version or component" in refused(two, "bar --pre-releases --from base")
    two.source("third", ("gull", "2~beta1"))
    two.ready()
    said = two.run("bar", "gull", "--pre-releases", "--from", "third", "--preview").out
    assert "pre-releases of gull from vendor are barred as well" in said


def test_a_fast_section(harbour: DebHarbour) -> None:
    from velpin.demo.build import write_repository

    sections = {"main": [offer("gull", "1")], "nightly": [offer("gull", "2")]}
    write_repository(harbour.folder / "repos/base", "jetty", sections, None, {"Origin": "B"})
    line = f"deb [trusted=yes] file://{harbour.folder}/repos/base jetty main nightly\n"
    harbour.put("etc/apt/sources.list.d/base.list", line)
    harbour.ready()
    assert answer(harbour, "gull")[0] == "2"
    make(harbour, "bar --pre-releases --from base")
    assert answer(harbour, "gull")[0] == "1"
    assert "release o=B,c=nightly" in harbour.read(OWN)
    make(harbour, "bar --pre-releases --from base --lift", "bar --component nightly --from base")
    assert answer(harbour, "gull")[0] == "1"
    assert "it has main, nightly" in refused(harbour, "bar --component absent --from base")


# -- what is refused ---------------------------------------------------------------------


@pytest.mark.parametrize(
    ("first", "then", "told"),
    [
        ("prefer base --over vendor", "prefer vendor --over base", "prefer base --over vendor --lift"),
        ("prefer base --over vendor", "prefer base --under vendor", ""),
        ("pin gull@2.0", "bar gull@2.0", "pin gull@2.0 --lift"),
        ("bar gull --from vendor", "pin gull@2.0", "bar gull --from vendor --lift"),
        ("pin gull@2.0", "keep gull", "pin gull@2.0 --lift"),
        ("confine vendor tide-lib", "pin gull@2.0 --from vendor", "confine vendor tide-lib --lift"),
        ("keep gull", "pin gull --from vendor", "keep gull --lift"),
        ("pin gull@2.0", "pin gull@1.0", ""),
    ],
)  # fmt: skip
def test_contradictions(two: DebHarbour, first: str, then: str, told: str) -> None:
    make(two, first)
    if told:
        assert f"take that one back first: velpin {told}" in refused(two, then)
    else:  # the later word on the same subject counts, or the narrower rule
        make(two, then)


@pytest.mark.parametrize(
    ("line", "code", "told"),
    [
        ("prefer vendor", 2, "over what"),
        ("prefer vendor --over vendor", 1, "no source other than vendor itself"),
        ("prefer absent --over base", 1, "absent"),
        ("confine vendor", 2, "which packages"),
        ("confine vendor absent*", 1, "has no package called absent*"),
        ("pin gull", 2, "to what"),
        ("pin gull@7", 1, "no source has gull in version 7"),
        ("pin absent@7", 1, "no source has a package called absent"),
        ("pin gull@<2", 1, "the nearest: velpin pin gull@1.0"),
        ("pin gull@>9", 1, "no source has such a version"),
        ("pin tide-lib@0.9", 1, "velpin pin tide-lib@0.9 --allow-older"),
        ("bar gull", 2, "from where"),
        ("bar", 2, "what from where"),
        ("bar absent* --from vendor", 1, "has no package called absent*"),
        ("keep gull-watch", 1, "not installed"),
        ("pin gull --lift", 1, "no rule of velpin says"),
        ("rules drop 1", 1, "there is no rule 1"),
        ("rules drop some/file:3", 1, "there is no rule at"),
        ("rules gone", 2, "which rules"),
    ],
)
def test_what_means_nothing_here(two: DebHarbour, line: str, code: int, told: str) -> None:
    assert told in refused(two, line, code)


def test_a_version_no_source_has_is_allowed_when_meant(two: DebHarbour) -> None:
    make(two, "pin gull@7 --anyway")
    assert "no source has gull in version 7" in two.run("rules").out
    address = two.repository("vendor", ("gull", "7"), ("gull", "8"))
    two.source_at("vendor", address)
    two.ready()
    assert answer(two, "gull") == ("7", "vendor")


def test_a_rule_of_others_that_wins_is_named_with_what_helps(two: DebHarbour) -> None:
    mine = "# why\nPackage: gull\nPin: version 2.*\nPin-Priority: 50\n"
    two.put("etc/apt/preferences", mine)
    told = refused(two, "pin gull@2.0")
    assert "etc/apt/preferences:2" in told
    assert "velpin pin gull@2.0 --foremost" in told
    assert "velpin rules drop etc/apt/preferences:2" in told
    make(two, "pin gull@2.0 --foremost")
    assert two.read("etc/apt/preferences").endswith("\n\n" + mine)
    assert answer(two, "gull") == ("2.0", "vendor")
    make(two, "undo", "rules drop etc/apt/preferences:2", "pin gull@2.0")
    assert two.read("etc/apt/preferences") == "# why\n"


def test_a_rule_that_wins_in_a_file_that_is_not_understood(two: DebHarbour) -> None:
    mine = "Package: gull\nPin: version 2.*\nwhat is this\nPin-Priority: 50\n"
    two.put("etc/apt/preferences", mine)
    told = refused(two, "pin gull@2.0")
    assert "etc/apt/preferences:1" in told
    assert "would help" not in told


def test_two_sources_that_are_alike(harbour: DebHarbour) -> None:
    for one, version in (("one", "1"), ("two", "2")):
        harbour.source(one, ("gull", version), Origin="Same", Label="Same")
    harbour.ready()
    told = refused(harbour, "prefer one --over two")
    assert "cannot tell one from two" in told
    assert "Origin or Label" in told


@pytest.mark.parametrize("file", ["etc/apt/preferences", OWN])
def test_odd_preference_files_are_never_rewritten(two: DebHarbour, file: str) -> None:
    two.put(file, "Package: gull\nPin: release o=base\nwhat is this\nPin-Priority: 7\n")
    for line in (
        "pin gull@2.0" if file == OWN else "pin gull@2.0 --foremost",
        f"rules drop {file}:1",
    ):
        assert f"{file}:3: not understood" in refused(two, line, 3)
    two.put(file, "Package: gull\nPin: release o=base\nPin-Priority: high\n")
    assert f"{file}:3" in refused(two, "keep gull", 3)


# -- rules -------------------------------------------------------------------------------


def test_rules_and_what_is_dead(two: DebHarbour) -> None:
    two.put("etc/apt/preferences.d/hand.pref", "\n".join(
        f"Package: {names}\nPin: {pin}\nPin-Priority: {number}\n"
        for names, pin, number in (
            ("gull", "release o=vendor", 600), ("gull", "release o=vendor", 700),
            ("absent", "release o=vendor", 700), ("tern", "release o=vendor", 700),
            ("*", "release o=gone", 700), ("tern", "version 9", 700), ("*", "release o=base", 500),
        )
    ))  # fmt: skip
    make(two, "keep tide-lib")
    two.put("etc/apt/apt.conf.d/10", 'APT::Default-Release "jetty";')
    row = two.read("var/lib/dpkg/status").replace(
        "Package: tern\nStatus: install", "Package: tern\nStatus: hold"
    )
    two.put("var/lib/dpkg/status", row)
    told = json.loads(two.run("rules", "--json").out)["rules"]
    assert [(rule["says"].split(" with priority ")[0], rule["dead"] and rule["dead"]["code"]) for rule in told] == [
        ("keep tide-lib", None), ("pin gull to vendor", None), ("pin gull to vendor", "rule-overruled"),
        ("pin absent to vendor", "rule-no-package"), ("pin tern to vendor", "rule-not-there"),
        ("sources with o=gone has priority 700: it wins over ordinary sources", "rule-no-source"),
        ("pin tern to 9", "rule-no-version"),
        ("base has priority 500: as an ordinary source", "rule-overruled"),
        ("prefer the release jetty (base, vendor)", None), ("keep tern: on hold", None),
    ]  # fmt: skip
    assert told[0]["rule"] == "velpin keep tide-lib"
    assert (told[1]["offers"], told[1]["installed"]) == (2, ["gull"])
    said = two.run("rules").out
    assert "always overruled by etc/apt/preferences.d/hand.pref:1" in said
    assert said.index("Rules in force") < said.index("Rules that decide nothing")


def test_rules_are_dropped_by_number_and_place_at_once(two: DebHarbour) -> None:
    record = "Package: {}\nPin: release o=vendor\nPin-Priority: 600\n"
    two.put(
        "etc/apt/preferences.d/hand.pref",
        "\n".join(record.format(n) for n in ("gull", "tern", "kelp")),
    )
    make(two, "keep tide-lib", "prefer base --over vendor")
    make(two, "rules drop 1 hand.pref:9 etc/apt/preferences.d/hand.pref:1")
    assert two.read("etc/apt/preferences.d/hand.pref") == record.format("tern")
    assert [rule.rule and rule.rule.kind for rule in two.host().rules.in_force()] == [
        "prefer",
        None,
    ]
    assert len(json.loads(two.run("journal", "--json").out)["entries"]) == 3
    make(two, "undo")
    assert next(rule.rule and rule.rule.kind for rule in two.host().rules.in_force()) == "keep"


def test_the_target_release_and_holds_as_rules(two: DebHarbour) -> None:
    conf = 'Acquire::Retries "3";\nAPT::Default-Release "jetty";\n// end\n'
    two.put("etc/apt/apt.conf.d/10", conf)
    make(two, "rules drop etc/apt/apt.conf.d/10:2")
    assert two.read("etc/apt/apt.conf.d/10") == 'Acquire::Retries "3";\n// end\n'
    two.put("etc/apt/apt.conf.d/10", 'APT { Default-Release "jetty"; Get::Assume-Yes "no"; };\n')
    place = "etc/apt/apt.conf.d/10:1"
    more = f"more than the target release stands at {place}, and velpin does not rewrite that"
    assert more in refused(two, "rules drop 1")
    assert "there is no rule at" in refused(two, "rules drop etc/apt/sources.list.d/base.list:1")
    status = two.read("var/lib/dpkg/status").replace("Status: install", "Status: hold", 1)
    two.put("var/lib/dpkg/status", status)
    assert "does not change that" in refused(two, "rules drop 2")


# -- takeover ----------------------------------------------------------------------------


def test_what_an_added_source_would_take_over_is_said_next_to_the_question(two: DebHarbour) -> None:
    make(two, "off vendor")
    said = two.run("on", "vendor", "--preview")
    first, second, _ = said.out.splitlines()[-3:]
    assert first == "✕ vendor would take over gull, tide-lib, which you did not name"
    assert second.startswith("  to prevent that: velpin confine vendor gull-watch")
    told = json.loads(two.run("on", "vendor", "--preview", "--json").out)
    assert (told["taken_over"], told["entry"]) == (["gull", "tide-lib"], None)
    assert told["shift"]["answers"] == [
        {"name": "gull-watch", "before": None, "after": {"version": "1.0", "source": "vendor"}}
    ]
    make(two, "on vendor", second.partition("velpin ")[2])
    host = two.host()
    assert host.after_upgrade().selections["gull", "amd64"] == ("1.0", ("1.0", "base"))
    assert host.forecast(["gull"]).answers[0].version == "1.0"


# -- from the goal to the rule -----------------------------------------------------------


def ways(harbour: DebHarbour, *words: str) -> list[list[str]]:
    """The commands of every way to what is wanted."""
    told = json.loads(harbour.run("want", *words, "--json").out)
    return [way["commands"] for way in told["options"]]


def test_want_a_version(two: DebHarbour) -> None:
    assert ways(two, "gull@2.0") == [["velpin pin gull@2.0"]]
    assert ways(two, "tide-lib@0.9") == [["velpin pin tide-lib@0.9 --allow-older"]]
    assert ["velpin prefer base --over vendor"] in ways(two, "gull", "--from", "base")
    make(two, "want gull@2.0")
    assert answer(two, "gull") == ("2.0", "vendor")
    assert two.run("want", "gull@2.0").out.startswith("✓ nothing to do")
    make(two, "undo")
    assert not (two.root / OWN).exists()


@pytest.mark.slow
def test_want_from_a_source_that_is_off_or_confined(two: DebHarbour) -> None:
    make(two, "off vendor")
    assert ways(two, "gull@2.0")[0] == ["velpin on vendor", "velpin pin gull@2.0"]
    make(two, "on vendor", "confine vendor gull-watch")
    found = ways(two, "gull-watch@1.0")
    assert found[0] == ["velpin confine vendor gull tide-lib"] or len(found[0]) <= 3
    make(two, "want gull-watch")
    assert two.host().forecast(["gull-watch"]).ok


def test_want_without_a_rule_in_the_way(two: DebHarbour) -> None:
    two.put("etc/apt/preferences", "Package: gull\nPin: release o=vendor\nPin-Priority: -1\n")
    found = ways(two, "gull@3.0~rc1")
    assert ["velpin rules drop etc/apt/preferences:1"] in found
    assert two.run("want", "gull@3.0~rc1", "--take", "9").code == 2
    shown = two.run("want", "gull@3.0~rc1", "--preview").out
    assert "velpin rules drop etc/apt/preferences:1" in shown


def test_what_was_wanted_and_made_is_told_as_data(two: DebHarbour) -> None:
    words = ["want", "gull", "--from", "base", "--json"]
    told = json.loads(two.run(*words).out)
    assert (told["entry"], len(told["options"]) > 1) == (None, True)
    done = json.loads(two.run(*words, "--take", "2", "--yes").out)
    assert (done["entry"], done["options"]) == (1, told["options"])
    assert answer(two, "gull")[1] == "base"


def test_want_what_cannot_be(two: DebHarbour) -> None:
    assert "no source has gull@0.1" in refused(two, "want gull@0.1")
    assert "no source has absent" in refused(two, "want absent")
    refused(two, "want gull@2.0 gull@1.0")
