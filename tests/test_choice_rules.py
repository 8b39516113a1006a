"""Rules of choice, each as a sentence and the smallest host that shows it."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.harbours import DNF, ZYPP, AlpmHarbour, DebHarbour, RpmHarbour, offer
from tests.plain_world import PlainWorld, asked
from velpin.core.shift import taken_over
from velpin.demo.alpm_files import DemoArchive
from velpin.demo.rpm_files import DemoRpm
from velpin.files.tree import Tree
from velpin.kinds import open_ports
from velpin.kinds.deb.engine.causes import why_not
from velpin.kinds.deb.engine.draft import Draft
from velpin.kinds.rpm import RpmPorts
from velpin.kinds.rpm.relation import read_relation
from velpin.kinds.rpm.solve.policy import Policy
from velpin.model.reasons import NotForArch, NoVersionInSource
from velpin.model.shift import ChangedUpgrade, Selection, Shift
from velpin.ports.view import View
from velpin.store.cache import open_cache

# -- deb hosts ---------------------------------------------------------------------------------


def records(*told: tuple[str, str, str]) -> str:
    """The text of a preference file: names, pin, priority of each record."""
    return "\n".join(
        f"Package: {names}\nPin: {pin}\nPin-Priority: {priority}\n" for names, pin, priority in told
    )


def test_a_version_is_never_taken_only_where_all_that_have_it_are_never_sources(
    harbour: DebHarbour,
) -> None:
    harbour.source("base", ("gull", "1"), ("tern", "1"))
    harbour.source("twin", ("gull", "1"))
    mine = ("gull tern", "version 1", "700")
    harbour.put("etc/apt/preferences", records(("*", "release o=base", "never"), mine))
    harbour.ready()
    (gull,) = harbour.ports().state.packages.named("gull")["amd64"].versions
    (tern,) = harbour.ports().state.packages.named("tern")["amd64"].versions
    assert (gull.priority.value, tern.priority.value < 0) == (700, True)


def test_what_the_named_source_gives_anyway_has_its_own_needs_from_there(
    harbour: DebHarbour,
) -> None:
    harbour.source("base", ("auk", "1"))
    rows = [
        offer("gull", "1", Depends="tern (>= 2)"),
        offer("tern", "2", Depends="auk (>= 2)"),
        ("auk", "2"),
    ]
    harbour.source("vendor", *rows)
    harbour.put("etc/apt/preferences", records(("auk", "release o=base", "900")))
    found = harbour.ready().forecast(["gull%vendor"])
    assert {change.name: change.new for change in found.changes} == {
        "auk": "2", "gull": "1", "tern": "2",
    }  # fmt: skip


ENGINE = [
    ("of providers one that is installed and can be upgraded goes before a new one",
     ["gull 1 needs wader>=2", "ara 2 is wader", "+auk 1 is wader", "auk 2 is wader"], None),
    ("what is held is not upgraded for what needs it",
     ["gull 1 needs tern>=2 | kite", "!tern 1", "tern 2", "kite 1"], "gull 1, tern 1, kite 1"),
    ("what is held is not upgraded for what likes it",
     ["gull 1 likes tern>=2", "!tern 1", "tern 2"], "gull 1, tern 1"),
    ("what is held is not removed for a rival",
     ["gull 1 needs tern | kite", "tern 1 breaks auk", "!auk 1", "kite 1"],
     "gull 1, auk 1, kite 1"),
    ("a package that excludes a name it has itself can be installed",
     ["gull 1 is wader; excludes wader"], "gull 1"),
    ("but not beside another that has it",
     ["gull 1 is wader; excludes wader", "+auk 1 is wader"], "gull 1"),
]  # fmt: skip


@pytest.mark.parametrize(("title", "lines", "wanted"), ENGINE, ids=[one[0] for one in ENGINE])
def test_the_engine(title: str, lines: list[str], wanted: str | None) -> None:
    world = PlainWorld(lines)
    works, _ = asked(world, "gull")
    if wanted is None:  # a bound on a provided name is met by no provider without a version
        assert not works
        return
    assert works
    assert world.state() == dict(pair.split() for pair in wanted.split(", "))


def test_a_version_that_the_named_source_lacks_is_told_as_that(harbour: DebHarbour) -> None:
    harbour.source("base", ("gull", "1"))
    harbour.source("vendor", ("gull", "9"))
    host = harbour.ready()
    (answer,) = host.forecast(["gull@9%base"]).answers
    assert answer.problem == NoVersionInSource(name="gull", source="base", version="9")


def test_a_name_that_only_another_architecture_has_is_told_as_that(harbour: DebHarbour) -> None:
    rows = [offer("gull", "1", arch="i386")]
    harbour.source_at("base", harbour.repository("base", *rows, archs=("amd64", "i386")))
    (answer,) = harbour.ready().forecast(["gull:amd64"]).answers
    assert answer.problem == NotForArch(name="gull", arch="amd64")


@pytest.mark.parametrize(
    ("need", "keepers"),
    [
        ("needs tern=1 | kite", ["gull"]),
        ("needs tern=1 | tern>=2", []),
        ("likes tern=1", []),
        ("breaks tern<2", []),
    ],
)
def test_an_older_version_is_kept_only_by_what_the_newer_does_not_serve(
    need: str, keepers: list[str]
) -> None:
    world = PlainWorld([f"+gull 1 {need}", "!tern 1", "tern 2"])
    newer = next(build for build in world.builds(world.unit("tern")) if build.version == "2")
    assert [link.owner.unit.name for link in why_not(Draft(world), newer)] == keepers


# -- rpm hosts ---------------------------------------------------------------------------------


@pytest.fixture(params=[DNF, ZYPP])
def rpm(request: pytest.FixtureRequest, tmp_path: Path) -> RpmHarbour:
    return RpmHarbour(tmp_path, request.param)


def test_a_package_for_any_architecture_stands_beside_none_of_its_name(rpm: RpmHarbour) -> None:
    rpm.source("base", DemoRpm("gull", "2-1", arch="noarch"))
    rpm.installed(DemoRpm("gull", "1-1", arch="x86_64"))
    (change,) = rpm.refresh().forecast("--upgrade")["changes"]
    assert (change["old"], change["new"], change["outcome"]) == ("1-1", "2-1", "upgrade")


RICH = [
    ("(a and b)", {"ab"}),
    ("(a or b)", {"a", "b", "ab", "ac", "bc"}),
    ("(a if b)", {"", "a", "c", "ab", "ac"}),
    ("(a if b else c)", {"c", "ab", "ac"}),
    ("(a unless b)", {"a", "ac"}),
    ("(a unless b else c)", {"a", "ac", "bc"}),
]
"""Relations, and the sets of installed packages that meet them."""


@pytest.mark.parametrize("have", ["", "a", "b", "c", "ab", "ac", "bc"])
def test_a_relation_of_several_is_met_by_what_its_words_say(rpm: RpmHarbour, have: str) -> None:
    rpm.installed(*(DemoRpm(name) for name in have))
    host = open_ports(View(Tree(rpm.root), open_cache(Tree(rpm.root))))
    assert isinstance(host, RpmPorts)
    policy = Policy(host.state.packages.pool)
    met = {text for text, _ in RICH if policy.is_met(read_relation(text))}
    assert met == {text for text, sets in RICH if have in sets}


def test_a_package_may_conflict_with_what_it_provides_itself(rpm: RpmHarbour) -> None:
    rpm.source("base", DemoRpm("gull", provides=("wader",), conflicts=("wader",)))
    assert rpm.refresh().changes("gull") == {"gull.x86_64": "1.0-1 base"}


def test_what_is_locked_is_not_replaced_by_what_obsoletes_it(tmp_path: Path) -> None:
    host = RpmHarbour(tmp_path, ZYPP)
    host.source("base", DemoRpm("tern", "2-1", obsoletes=("gull",)))
    host.installed(DemoRpm("gull", "1-1"))
    host.refresh()
    assert host.changes("--upgrade") == {"gull.x86_64": "gone", "tern.x86_64": "2-1 base"}
    host.put("etc/zypp/locks", "type: package\nsolvable_name: gull\n")
    assert host.changes("--upgrade") == {}


# -- alpm hosts --------------------------------------------------------------------------------


def test_a_package_may_conflict_with_what_it_provides_itself_on_alpm(tmp_path: Path) -> None:
    host = AlpmHarbour(tmp_path)
    host.source("base", DemoArchive("gull", provides=("wader",), conflicts=("wader",)))
    host.refresh()
    assert host.changes("gull") == {"gull": "1.0-1 base"}


def test_a_search_tells_no_version_of_a_source_that_may_not_install(tmp_path: Path) -> None:
    host = AlpmHarbour(tmp_path)
    host.source("base", DemoArchive("tern"))
    host.source("extra", DemoArchive("gull"), settings="Usage = Sync Search\n")
    host.refresh()
    found, count = host.host().packages.find("gull")
    assert (count, [(hit.name, hit.version, hit.source) for hit in found]) == (
        1, [("gull", None, None)],
    )  # fmt: skip


# -- the whole host ----------------------------------------------------------------------------


def test_a_package_is_taken_over_only_where_its_version_changes() -> None:
    def upgrade(name: str, after: str) -> ChangedUpgrade:
        before = Selection("1", "base")
        return ChangedUpgrade(name, "amd64", "1", before, Selection(after, "vendor"))

    shift = Shift(upgrades=(upgrade("gull", "2"), upgrade("tern", "1")))
    assert taken_over(shift, ["vendor"]) == ["gull"]
    assert taken_over(shift, ["base"]) == []
