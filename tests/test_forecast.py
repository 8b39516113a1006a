"""Forecasts on small hosts: each decision the host makes, as the host makes it."""

from __future__ import annotations

import json
import random

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.harbours import DebHarbour, offer
from velpin.kinds.deb import choice
from velpin.model.forecast import Answer


def pinned(harbour: DebHarbour, package: str, pin: str, number: str) -> None:
    old = harbour.root / "etc/apt/preferences"
    before = old.read_text() + "\n" if old.exists() else ""
    harbour.put(
        "etc/apt/preferences", before + f"Package: {package}\nPin: {pin}\nPin-Priority: {number}\n"
    )


def one(harbour: DebHarbour, *requests: str, source: str = "") -> Answer:
    return harbour.ready().forecast(requests, source).answers[0]


def told(answer: Answer) -> tuple[str, str | None, str | None]:
    return answer.outcome, answer.version, answer.source


@pytest.fixture
def two(harbour: DebHarbour) -> DebHarbour:
    """gull 1 in `base`, gull 2 in `gullwatch`; nothing installed."""
    harbour.source("base", ("gull", "1"), ("tern", "1"))
    harbour.source("gullwatch", ("gull", "2"))
    return harbour


def test_the_newest_wins_among_equals(two: DebHarbour) -> None:
    answer = one(two, "gull")
    assert told(answer) == ("install", "2", "gullwatch")
    assert answer.decided_by == "version"
    assert [(p.version, p.source, p.why.code) for p in answer.passed_over] == [
        ("1", "base", "older")
    ]
    assert answer.url == f"file://{two.folder}/repos/gullwatch/dists/jetty"


@pytest.mark.parametrize(
    ("installed", "number", "outcome", "version"),
    [
        ("2", "999", "keep", "2"), ("2", "1000", "downgrade", "1"), ("1", "-1", "upgrade", "2"),
        ("1", "1000", "keep", "1"), ("3", "999", "keep", "3"), ("0.5", "501", "upgrade", "1"),
    ],
)  # fmt: skip
def test_older_versions_need_a_thousand(
    two: DebHarbour, installed: str, number: str, outcome: str, version: str
) -> None:
    two.installed(("gull", installed))
    pinned(two, "gull", "version 1", number)
    assert told(one(two, "gull"))[:2] == (outcome, version)


def test_the_first_matching_record_wins(two: DebHarbour) -> None:
    pinned(two, "g*", "version 1", "600")
    pinned(two, "gull", "version 1", "100")
    answer = one(two, "gull")
    assert told(answer) == ("install", "1", "base")
    reason = answer.reasons[0]
    assert (reason.code, reason.place) == ("priority-record", ("etc/apt/preferences", 1))
    assert answer.decided_by == "rule"


def test_a_specific_record_beats_a_general_and_the_target(two: DebHarbour) -> None:
    pinned(two, "*", "release o=base", "1000")
    two.put("etc/apt/apt.conf.d/10", 'APT::Default-Release "jetty";')
    pinned(two, "gull", "release o=gullwatch", "995")
    assert told(one(two, "gull"))[1:] == ("2", "gullwatch")


def test_never_beats_everything(two: DebHarbour) -> None:
    pinned(two, "*", "release o=gullwatch", "1000")
    pinned(two, "*", "release o=gullwatch", "never")
    pinned(two, "gull", "version 2", "1000")
    answer = one(two, "gull")
    assert told(answer) == ("install", "1", "base")
    assert answer.passed_over[0].why.code == "barred"
    assert told(one(two, "gull@2")) == ("install", "2", "gullwatch")


@pytest.mark.parametrize(
    ("fields", "number"),
    [({"NotAutomatic": "yes"}, 1), ({"NotAutomatic": "yes", "ButAutomaticUpgrades": "yes"}, 100),
     ({"ButAutomaticUpgrades": "yes"}, 100), ({"NotAutomatic": "no"}, 500)],
)  # fmt: skip
def test_channels(harbour: DebHarbour, fields: dict[str, str], number: int) -> None:
    harbour.source("fresh", ("gull", "2"), **fields)
    harbour.source("base", ("gull", "1"))
    host = harbour.ready()
    assert {o.source: o.priority for o in host.packages.offers(["gull"])} == {
        "fresh": number,
        "base": 500,
    }
    assert told(one(harbour, "gull"))[1] == ("2" if number == 500 else "1")


@pytest.mark.parametrize(("number", "outcome"), [(99, "keep"), (100, "upgrade"), (500, "upgrade")])
def test_installed_from_no_source_counts_a_hundred(
    harbour: DebHarbour, number: int, outcome: str
) -> None:
    harbour.installed(("gull", "1"))
    harbour.source("fresh", ("gull", "2"))
    pinned(harbour, "*", "release o=fresh", str(number))
    answer = one(harbour, "gull")
    assert answer.outcome == outcome
    assert answer.installed == "1"


def test_the_same_version_comes_from_the_first_listed(harbour: DebHarbour) -> None:
    harbour.source("b", ("gull", "1"))
    harbour.source("a", ("gull", "1"))
    pinned(harbour, "*", "release o=a", "-1")
    answer = one(harbour, "gull")
    assert told(answer) == ("install", "1", "a")
    assert [p.why.code for p in answer.passed_over] == ["listed-later"]


def test_a_record_that_matches_one_source_holds_for_the_version_everywhere(
    harbour: DebHarbour,
) -> None:
    harbour.source("a", ("gull", "1"))
    harbour.source("b", ("gull", "1"))
    pinned(harbour, "gull", "release o=b", "-1")
    answer = one(harbour, "gull")
    assert answer.outcome == "none"
    assert answer.problem
    assert answer.problem.code == "no-candidate"


def test_equal_versions_of_other_content_are_separate(harbour: DebHarbour) -> None:
    harbour.source("a", ("gull", "1.0"))
    harbour.source("b", offer("gull", "1.00", Depends="tern"))
    pinned(harbour, "gull", "release o=b", "600")
    host = harbour.ready()
    package = harbour.ports().state.packages.named("gull")["amd64"]
    assert [version.priority.value for version in package.versions] == [500, 600]
    assert told(host.forecast(["gull"]).answers[0])[1:] == ("1.00", "b")
    assert told(host.forecast(["gull%a"]).answers[0])[1:] == ("1.0", "a")


def test_what_is_installed_under_another_content_is_replaced(harbour: DebHarbour) -> None:
    harbour.installed(("gull", "1"))
    harbour.source("a", offer("gull", "1", Depends="tern"))
    assert told(one(harbour, "gull")) == ("reinstall", "1", "a")


@pytest.mark.parametrize("text", ["tern (>> 1)|kelp", "tern  (>> 1) | kelp", "Tern (>>1) | kelp"])
def test_spelling_of_relations_plays_no_part(harbour: DebHarbour, text: str) -> None:
    harbour.source("a", offer("gull", "1", Depends="tern (>> 1) | kelp"))
    harbour.source("b", offer("gull", "1", Depends=text))
    (version,) = harbour.ready_ports().state.packages.named("gull")["amd64"].versions
    assert len(version.holders) == 2


def test_half_removed_is_not_installed_and_its_version_is_no_way(harbour: DebHarbour) -> None:
    harbour.installed(
        ("gull", "3", "deinstall ok config-files"), ("tern", "1", "deinstall ok config-files")
    )
    harbour.source("base", ("gull", "1"))
    pinned(harbour, "tern", "version 1", "900")
    answer = one(harbour, "gull")
    assert (answer.outcome, answer.installed) == ("install", None)
    refused = one(harbour, "tern")
    assert refused.problem
    assert refused.problem.code == "never-a-source"


def test_a_recorded_version_may_fit_but_cannot_be_had(harbour: DebHarbour) -> None:
    harbour.installed(("gull", "1:1", "deinstall ok config-files"))
    harbour.source("base", ("gull", "1.5"))
    for text, code in (
        ("gull@1*", "only-recorded"),
        ("gull@1:1", "only-recorded"),
        ("gull@1.*", None),
    ):
        problem = one(harbour, text).problem
        assert (problem.code if problem else None) == code


def test_a_hold_is_overruled_by_asking(two: DebHarbour) -> None:
    two.installed(("gull", "1", "hold ok installed"))
    answer = one(two, "gull")
    assert told(answer) == ("upgrade", "2", "gullwatch")
    assert "hold-overruled" in [reason.code for reason in answer.reasons]
    assert two.ready().after_upgrade().selections["gull", "amd64"] == ("1", ("1", "base"))


def test_a_target_no_source_has_refuses_everything(two: DebHarbour) -> None:
    two.put("etc/apt/apt.conf.d/10", '\nAPT::Default-Release "absent";')
    found = two.ready().forecast(["gull"])
    assert (found.ok, found.changes) == (False, ())
    assert two.run("forecast", "gull").code == 1
    assert found.problem
    assert found.problem.place == ("etc/apt/apt.conf.d/10", 2)
    two.put("etc/apt/apt.conf.d/10", 'APT::Default-Release "n=absent";')
    assert two.ready().forecast(["gull"]).ok


def test_the_target_release_counts_990(two: DebHarbour) -> None:
    two.source_at(
        "old",
        two.repository("old", ("gull", "0.9"), suite="quay", fields={"NotAutomatic": "yes"}),
        "quay",
    )
    two.put("etc/apt/apt.conf", 'APT::Default-Release "qu*";')
    answer = one(two, "gull")
    assert (told(answer)[1:], answer.decided_by) == (("0.9", "old"), "target release")


def test_unreadable_preferences_refuse_everything_with_file_and_line(two: DebHarbour) -> None:
    two.put("etc/apt/preferences.d/x", "Package: other\nPin: version 1\nPin-Priority: 0\n")
    found = two.ready().forecast(["gull"])
    assert not found.ok
    said = two.run("forecast", "gull")
    assert said.code == 3
    assert "etc/apt/preferences.d/x:3" in said.out


# -- requests ----------------------------------------------------------------------------


def test_versions_and_globs(two: DebHarbour) -> None:
    assert told(one(two, "gull@1")) == ("install", "1", "base")
    assert told(one(two, "gull@1*")) == ("install", "1", "base")
    assert told(one(two, "gull@*")) == ("install", "2", "gullwatch")
    assert told(one(two, "gull@<2")) == ("install", "1", "base")
    assert told(one(two, "gull@>=1")) == ("install", "2", "gullwatch")
    refused = one(two, "gull@3")
    assert refused.problem
    assert refused.problem.code == "no-version"
    assert refused.near == ("2", "1")


@pytest.mark.parametrize("source", ["base", "gullwatch"])
def test_a_source_narrows_whatever_its_number(two: DebHarbour, source: str) -> None:
    pinned(two, "*", f"release o={source}", "-1")
    version = {"base": "1", "gullwatch": "2"}[source]
    assert told(one(two, f"gull%{source}")) == ("install", version, source)
    assert told(one(two, "gull", source=source)) == ("install", version, source)


def test_a_suite_narrows_too(two: DebHarbour) -> None:
    two.source_at("old", two.repository("old", ("gull", "0.9"), suite="quay"), "quay")
    assert told(one(two, "gull%quay")) == ("install", "0.9", "old")
    refused = one(two, "tern%quay")
    assert refused.problem
    assert refused.problem.code == "not-in-source"


@pytest.mark.parametrize(
    ("source", "code"),
    [
        ("gullwatc", "unknown-source"),
        ("z", "source-is-off"),
        ("late", "source-not-fetched"),
        ("now", "not-in-source"),
    ],
)
def test_a_source_that_gives_nothing(two: DebHarbour, source: str, code: str) -> None:
    two.ready()
    two.put("etc/apt/sources.list.d/z.list", "# deb http://z.example/z jetty main\n")
    two.source_at("late", "file:///nowhere/late")
    answer = two.host().forecast(["gull"], source).answers[0]
    assert answer.problem
    assert answer.problem.code == code
    assert code != "unknown-source" or "gullwatch" in str(answer.problem.facts["near"])


def test_settings_that_cannot_be_read_refuse_everything(two: DebHarbour) -> None:
    two.ready()
    two.put("etc/apt/apt.conf.d/10", 'APT::Default-Release "jetty"\n')
    said = two.run("forecast", "gull", "--json")
    told = json.loads(said.out)
    assert (said.code, told["ok"], told["changes"]) == (3, False, [])
    assert told["problem"].startswith("etc/apt/apt.conf.d/10:1: ")
    assert two.run("host").code == 3


def test_names_that_hold_marks_go_first(harbour: DebHarbour) -> None:
    harbour.source("base", ("gull", "1"), ("gull@2", "5"), ("tern%x", "6"), ("kelp++", "7"))
    assert one(harbour, "gull@2").version == "5"
    assert one(harbour, "tern%x").version == "6"
    assert one(harbour, "kelp++@7%base").version == "7"


def test_unknown_names_get_near_names_also_from_what_is_off(two: DebHarbour) -> None:
    two.source("z", ("gullx", "1"))
    two.ready()
    two.put("etc/apt/sources.list.d/z.list", "# " + two.read("etc/apt/sources.list.d/z.list"))
    answer = one(two, "gul")
    assert answer.problem
    assert answer.problem.code == "unknown"
    assert answer.near == ("gull", "gullx (z, off)")
    assert one(two, "gullx").near[0] == "gullx (z, off)"


def test_several_requests_are_one_transaction(two: DebHarbour) -> None:
    found = two.ready().forecast(["gull", "tern", "nobody"])
    assert not found.ok
    assert found.changes == ()
    assert [a.outcome for a in found.answers] == ["install", "install", "none"]
    both = two.ready().forecast(["gull", "gull@1", "tern"])
    assert [(c.name, c.new, c.role) for c in both.changes] == [
        ("gull", "1", "asked"),
        ("tern", "1", "asked"),
    ]


def test_patterns_ask_for_each_name(two: DebHarbour) -> None:
    assert [a.package for a in two.ready().forecast(["*l*"]).answers] == ["gull"]
    found = two.ready().forecast(["^[gt]", "gull"])
    assert [a.package for a in found.answers] == ["tern", "gull"]
    assert (found.notes[0].code, found.notes[0].facts["count"]) == ("taken-as-pattern", 2)


def test_architectures(harbour: DebHarbour) -> None:
    rows = [
        offer("gull", "1"),
        offer("gull", "2", "i386"),
        offer("only", "1", "i386"),
        offer("data", "1", "all"),
    ]
    harbour.source_at("base", harbour.repository("base", *rows, archs=("amd64", "i386")))
    assert told(one(harbour, "gull"))[1] == "1"
    assert (one(harbour, "gull:i386").version, one(harbour, "gull:i386").arch) == ("2", "i386")
    assert one(harbour, "only").arch == "i386"
    assert one(harbour, "data").arch == "all"
    assert one(harbour, "data:amd64").outcome == "install"
    for text, code in (("data:i386", "not-for-arch"), ("gull:arm64", "no-arch")):
        problem = one(harbour, text).problem
        assert problem
        assert problem.code == code


@pytest.mark.parametrize(
    ("offers", "result"),
    [
        ([("postal", "1", "mail")], "postal"),
        ([("postal", "1", "mail"), ("courier", "1", "mail")], "several-providers"),
        ([("postal", "1", "mail"), ("postal", "2", "")], "no-provider"),
        ([("postal", "1", "mail (= 3), other")], "postal"),
    ],
)
def test_virtual_names(
    harbour: DebHarbour, offers: list[tuple[str, str, str]], result: str
) -> None:
    rows = [
        offer(name, version, Provides=provides) if provides else offer(name, version)
        for name, version, provides in offers
    ]
    harbour.source("base", *rows)
    answer = one(harbour, "mail")
    assert (answer.problem.code if answer.problem else answer.package) == result


def test_a_virtual_name_in_a_version(harbour: DebHarbour) -> None:
    rows = [
        offer("postal", "9", Provides="mail (= 3)"),
        offer("courier", "9", Provides="mail (= 4)"),
    ]
    harbour.source("base", *rows)
    assert one(harbour, "mail@3").package == "postal"


@pytest.mark.parametrize(
    ("request_", "result"),
    [("mail@1", "postal 1"), ("mail@2", "postal 2"), ("mail@3", "courier 5"), ("mail@1*", "no-version"),
     ("mail%a", "postal 1"), ("mail%c", "courier 5"), ("mail%[ac]", "not-in-source"), ("mail", "several-providers"),
     ("mail:i386", "not-for-arch"), ("post:i386", "i386 7"), ("post", "several-providers"), ("letter", "far 9"),
     ("real@4", "courier 5"), ("mail@newest", "no-version"), ("postal@newest", "postal 2")],
)  # fmt: skip
def test_provided_names_in_every_form(harbour: DebHarbour, request_: str, result: str) -> None:
    rows = {
        "a": [offer("postal", "1", Provides="mail (= 1)")],
        "b": [offer("postal", "2", Provides="mail (= 2), post")],
        "c": [offer("courier", "5", Provides="mail (= 3), post, real (= 4)"), offer("real", "1")],
        "d": [
            offer("i386", "7", "i386", Provides="post"),
            offer("far", "9", "i386", Provides="letter", Multi_Arch="foreign"),
        ],
    }
    for name, offers in rows.items():
        harbour.source_at(
            name, harbour.repository(name, *offers, suite=name, archs=("amd64", "i386")), name
        )
    answer = one(harbour, request_)
    told = answer.problem.code if answer.problem else f"{answer.package} {answer.version}"
    assert told == result


def test_a_real_name_that_is_barred_gives_way_to_its_provider(harbour: DebHarbour) -> None:
    rows = [offer("mail", "1"), offer("postal", "1", Provides="mail")]
    harbour.source("base", *rows)
    pinned(harbour, "mail", "version *", "-1")
    assert one(harbour, "mail").package == "postal"


# -- copies of an index ------------------------------------------------------------------


def test_the_newer_copy_counts_and_as_is_keeps_to_the_installers(harbour: DebHarbour) -> None:
    address = harbour.repository("base", ("gull", "1"), date=1_700_000_000)
    harbour.source_at("base", address)
    release = harbour.folder / "repos/base/dists/jetty"
    from velpin.kinds.deb.copies import list_name

    stem = "var/lib/apt/lists/" + list_name(f"{address}/dists/jetty", "jetty")
    harbour.put(stem + "Release", (release / "Release").read_bytes())
    for end in (".xz", ".gz", ""):
        harbour.put(
            f"{stem}main_binary-amd64_Packages{end}",
            (release / f"main/binary-amd64/Packages{end}").read_bytes(),
        )
        assert harbour.host().forecast(["gull"]).answers[0].version == "1"
        (harbour.root / f"{stem}main_binary-amd64_Packages{end}").unlink()
    harbour.put(
        f"{stem}main_binary-amd64_Packages", (release / "main/binary-amd64/Packages").read_bytes()
    )
    harbour.repository("base", ("gull", "2"))
    found = harbour.ready().forecast(["gull"])
    assert found.answers[0].version == "2"
    assert [note.code for note in found.notes] == ["installer-must-refresh"]
    kept = harbour.host(as_is=True).forecast(["gull"])
    assert (kept.answers[0].version, kept.notes) == ("1", ())


def test_sources_without_an_index_are_told(two: DebHarbour) -> None:
    two.ready()
    two.source_at("late", "file:///nowhere/late")
    (note,) = (n for n in two.host().forecast(["gull"]).notes if n.code == "not-fetched")
    assert note.facts["sources"] == ("late",)


# -- rules that hold on every host -------------------------------------------------------

drawn_offers = st.lists(
    st.tuples(st.sampled_from(["a", "b", "c"]), st.sampled_from(["1", "1.0", "2~", "2", "1:0"])),
    min_size=1, max_size=6, unique=True,
)  # fmt: skip
drawn_numbers = st.dictionaries(
    st.sampled_from(["a", "b", "c"]), st.sampled_from([-1, 1, 100, 500, 999, 1000])
)


@settings(
    max_examples=30, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture]
)
@given(drawn_offers, drawn_numbers, st.sampled_from(["", "1", "2", "1:5"]), st.randoms())
def test_the_candidate_obeys_the_rule(
    tmp_path_factory: pytest.TempPathFactory,
    offers: list[tuple[str, str]],
    numbers: dict[str, int],
    installed: str,
    shuffle: random.Random,
) -> None:
    harbour = DebHarbour(tmp_path_factory.mktemp("host"))
    for source in sorted({source for source, _ in offers}):
        rows = [("gull", version) for where, version in offers if where == source]
        shuffle.shuffle(rows)
        harbour.source(source, *rows)
    for source, number in numbers.items():
        pinned(harbour, "*", f"release o={source}", str(number))
    if installed:
        harbour.installed(("gull", installed))
    package = harbour.ready_ports().state.packages.named("gull")["amd64"]
    chosen = choice.candidate(package)
    now = package.installed
    allowed = [
        v for v in package.versions
        if v.priority.value > 0 and not (now and choice.is_older(v, now) and v.priority.value < 1000)
    ]  # fmt: skip
    assert (chosen is None) == (not allowed)
    if chosen:
        assert chosen in allowed
        assert all(v.priority.value <= chosen.priority.value for v in allowed)
        level = [v for v in allowed if v.priority.value == chosen.priority.value]
        assert not any(choice.is_older(chosen, v) for v in level)
