"""How rpm hosts choose, statement by statement: one small host for each."""

from __future__ import annotations

import shlex
from pathlib import Path
from typing import Any

import pytest

from tests.harbours import ALPM, DEB, DNF, KINDS, ZYPP, Item, RpmHarbour, harbour_of
from tests.statements import Case, cases, what_comes
from velpin.demo.rpm_files import DemoRpm as P
from velpin.errors import UsageError

A1, A2, A3 = (P("a", f"{number}-1") for number in "123")


@pytest.mark.parametrize(
    ("kind", "case"), [(kind, case) for case in cases("rpm") for kind in case.kinds],
    ids=lambda value: value.what if isinstance(value, Case) else value,
)  # fmt: skip
def test_statement(tmp_path: Path, kind: str, case: Case) -> None:
    assert what_comes(tmp_path, kind, case) == case.comes


def answer_of(harbour: RpmHarbour, *words: str) -> dict[str, Any]:
    found: dict[str, Any] = harbour.forecast(*words)["answers"][0]
    return found


def test_the_reason_is_told(tmp_path: Path) -> None:
    harbour = RpmHarbour(tmp_path)
    harbour.source("one", A1, settings="gpgcheck=0\npriority=10\n")
    harbour.source("two", A2)
    harbour.source("three", A3, settings="gpgcheck=0\npriority=5\nexcludepkgs=b a-3*\n")
    harbour.source("off", P("a", "9-1"), settings="gpgcheck=0\nenabled=0\n")
    code, out, _ = harbour.refresh().run("forecast", "a", "--why")
    assert (code, "chosen by its source's priority" in out) == (0, True)
    assert "one has priority 10, and the lowest wins, whatever the version; the next is 99" in out
    assert "excluded by a-3* at etc/yum.repos.d/three.repo:7" in out
    assert answer_of(harbour, "a")["source"] == "one"
    assert {one["source"] for one in answer_of(harbour, "a")["passed_over"]} == {"two", "three"}


MODULES = """\
---
document: modulemd
version: 2
data: {name: tide, stream: "1", arch: x86_64, summary: s, description: d,
       license: {module: [MIT]}, artifacts: {rpms: ["a-0:1-1.x86_64"]}}
...
---
document: modulemd
version: 2
data: {name: tide, stream: "2", arch: x86_64, summary: s, description: d,
       license: {module: [MIT]}, artifacts: {rpms: ["a-0:2-1.x86_64"]},
       dependencies: [{requires: {platform: [el9]}}]}
...
---
document: modulemd-defaults
version: 1
data: {module: tide, stream: "1"}
...
"""


@pytest.mark.parametrize(
    ("state", "comes"),
    [
        ("", "1-1 modular"),
        ("state=enabled\nprofiles=\nstream=2\n", "2-1 modular"),
        ("state=disabled\nprofiles=\nstream=\n", "3-1 plain"),
    ],
)
def test_module_streams(tmp_path: Path, state: str, comes: str) -> None:
    harbour = RpmHarbour(tmp_path)
    harbour.source("modular", A1, A2, modules=MODULES)
    harbour.source("plain", A3, P("other", provides=("a",)), P("third"))
    if state:
        harbour.put("etc/dnf/modules.d/tide.module", f"[tide]\nname=tide\n{state}")
    harbour.refresh()
    assert harbour.changes("a") == {"a.x86_64": comes}
    assert harbour.changes("third") == {"third.x86_64": "1.0-1 plain"}
    found = harbour.forecast("other")
    assert found["ok"] == ("disabled" in state)


def test_hotfixes_escape_the_modules(tmp_path: Path) -> None:
    harbour = RpmHarbour(tmp_path)
    harbour.source("modular", A1, A2, modules=MODULES)
    harbour.source("plain", A3, settings="gpgcheck=0\nmodule_hotfixes=1\n")
    assert harbour.refresh().changes("a") == {"a.x86_64": "3-1 plain"}


NEW = P("new", obsoletes=("a",))
LOCK_FILE = "etc/dnf/plugins/versionlock.list"


def locking(folder: Path, lines: str, *here: P) -> RpmHarbour:
    harbour = RpmHarbour(folder)
    harbour.source("one", A1, A2, A3, NEW, P("r", requires=("a >= 2",)))
    harbour.installed(*here)
    harbour.put("etc/dnf/plugins/versionlock.conf", f"[main]\nenabled=1\nlocklist=/{LOCK_FILE}\n")
    harbour.put(LOCK_FILE, lines)
    return harbour.refresh()


@pytest.mark.parametrize(
    ("lines", "asked", "here", "comes"),
    [
        ("# kept\na-0:1-1.*\n", "a@1-1", (), {"a.x86_64": "1-1 one"}),
        ("a-0:2-1.*\n", "--upgrade", (A1,), {"a.x86_64": "2-1 one"}),
        ("a-0:1-1.*\na-2-1\n", "--upgrade", (A1,), {"a.x86_64": "2-1 one"}),
        ("!a-0:3-1.*\n!new\n", "--upgrade", (A1,), {"a.x86_64": "2-1 one"}),
        ("a-0:7-1.*\n!new\n", "--upgrade", (A1,), {}),
        ("a-0:1-1.*\n", "--upgrade", (A1,), {}),
        ("a-0:1-1.*\nnew\n", "new", (A1,), {"a.x86_64": "gone", "new.x86_64": "1.0-1 one"}),
        ("a-0:1-1.* # why\n!new\n", "--upgrade", (A1,), {"a.x86_64": "3-1 one"}),
        ("a-0:1-1.*\n", "new", (A1,), None),
        ("a-0:1-1.*\n", "r", (), None),
    ],
)
def test_version_locks(
    tmp_path: Path, lines: str, asked: str, here: tuple[P, ...], comes: dict[str, str] | None
) -> None:
    harbour = locking(tmp_path, lines, *here)
    if comes is None:
        assert not harbour.forecast(asked)["ok"]
    else:
        assert harbour.changes(asked) == comes


def test_version_locks_are_rules(tmp_path: Path) -> None:
    harbour = locking(tmp_path, "# kept\na-0:1-1.*\n!gone-0:1-1.*\n", A1)
    code, out, _ = harbour.run("rules")
    assert (code, "only a-0:1-1.* of that name" in out, "never gone-0:1-1.*" in out) == (
        0,
        True,
        True,
    )
    assert f"excluded by a-0:1-1.* at {LOCK_FILE}:2" in harbour.run("forecast", "a", "--why")[1]
    assert harbour.run("rules", "drop", f"{LOCK_FILE}:2", "--yes")[0] == 0
    assert harbour.read(LOCK_FILE) == "# kept\n!gone-0:1-1.*\n"
    assert harbour.changes("a@3-1") == {"a.x86_64": "3-1 one"}
    harbour.put("etc/dnf/plugins/versionlock.conf", "[main]\nenabled=0\n")
    assert "versionlock" not in harbour.run("rules")[1]


@pytest.mark.parametrize(
    ("words", "lines"),
    [
        (["pin", "a@2"], "a-0:2-*.*"),
        (["pin", "a@2-1"], "a-0:2-1.*"),
        (["pin", "a:x86_64@2*", "--anyway"], "a-0:2*-*.x86_64"),
        (["pin", "e@5"], "e-3:5-*.*"),
        (["keep", "a"], "a-0:1-1.*"),
    ],
)
def test_a_rule_about_a_version_goes_to_the_list_of_locks(
    tmp_path: Path, words: list[str], lines: str
) -> None:
    kept = "# kept\nother-0:1-1.*\n"
    harbour = locking(tmp_path, kept, A1)
    harbour.source("more", P("e", "3:5-1"), P("e", "4:6-1"))
    harbour.refresh()
    code, out, said = harbour.run(*words, "--yes")
    assert code == 0, out + said
    told = f"{words[0]} {shlex.quote(words[1])}"
    assert harbour.read(LOCK_FILE) == f"{kept}\n# velpin {told}\n{lines}\n"
    assert "excludepkgs" not in harbour.read("etc/dnf/dnf.conf")
    assert told in harbour.run("rules")[1]
    assert harbour.run("undo", "--yes")[0] == 0
    assert harbour.read(LOCK_FILE) == kept


def test_an_epoch_that_is_not_there_yet_is_kept_out_as_well(tmp_path: Path) -> None:
    harbour = RpmHarbour(tmp_path)
    harbour.source("one", A1, A2)
    harbour.refresh()
    assert harbour.run("pin", "a@1", "--yes")[0] == 0
    harbour.source("one", A1, A2, *(P("a", f"{epoch}:1-1") for epoch in (1, 4, 12, 37)))
    assert harbour.refresh().changes("a") == {"a.x86_64": "1-1 one"}


@pytest.mark.parametrize(
    ("kind", "asked", "sources", "way"),
    [
        (DNF, "r", {"one": ("", (P("r", requires=("c",)),)), "off": ("enabled=0\n", (P("z", provides=("c",)),))}, "velpin on off"),
        (ZYPP, "z", {"one": ("", (A1,)), "off": ("enabled=0\n", (P("z"),))}, "velpin on off"),
        (ZYPP, "a", {"one": ("", (A1, P("a", "2-1", requires=("nowhere",))))}, "velpin forecast a@1-1"),
        (DNF, "a", {"one": ("excludepkgs=a\n", (A2,))}, "velpin rules drop etc/yum.repos.d/one.repo:6"),
        (ZYPP, "a", {"one": ("", (A2,))}, "velpin rules drop etc/zypp/locks:2"),
        (DNF, "r", {"one": ("", (P("r", requires=("nowhere",)),))}, ""),
    ],
)  # fmt: skip
def test_ways_out_are_tried(
    tmp_path: Path, kind: str, asked: str, sources: dict[str, tuple[str, tuple[P, ...]]], way: str
) -> None:
    harbour = RpmHarbour(tmp_path, kind)
    for name, (_, packages) in sources.items():
        harbour.source(name, *packages)
    harbour.refresh()
    for name, (settings, packages) in sources.items():
        harbour.source(name, *packages, settings="gpgcheck=0\n" + settings)
    if "locks" in way:
        harbour.put("etc/zypp/locks", "\ntype: package\nmatch_type: exact\nsolvable_name: a\n")
    found = harbour.forecast(asked)
    assert not found["ok"]
    assert [one["command"] for one in found["remedies"]] == ([way] if way else [])
    if way:
        assert "These would help (tried)" in harbour.run("forecast", asked)[1]
        words = way.split()[1:]
        if words[0] != "forecast":
            assert harbour.run(*words, "--yes")[0] == 0
            words = ["forecast", asked]
        assert harbour.run(*words)[0] == 0


def test_a_source_out_of_reach(tmp_path: Path) -> None:
    for kind, settings, ok in (
        (DNF, "", False), (DNF, "skip_if_unavailable=1\n", True), (ZYPP, "", True),
    ):  # fmt: skip
        harbour = RpmHarbour(tmp_path / f"{kind}{ok}", kind)
        harbour.source("one", A1)
        harbour.put(
            f"{harbour.sources}/gone.repo", f"[gone]\nbaseurl=file:///nowhere/at/all\n{settings}"
        )
        assert harbour.run("refresh")[0] == 5
        assert harbour.forecast("a")["ok"] is ok


def test_realign_is_only_where_it_is(tmp_path: Path) -> None:
    harbour = RpmHarbour(tmp_path)
    assert harbour.run("forecast", "--upgrade", "--realign")[0] == 2
    assert RpmHarbour(tmp_path / "z", ZYPP).run("forecast", "--realign", "a")[0] == 2
    for kind in KINDS:
        (folder := tmp_path / f"of-{kind}").mkdir()
        try:
            harbour_of(kind, folder).host().forecast_upgrade(realign=True)
        except UsageError:
            assert kind != ZYPP
        else:
            assert kind == ZYPP


def test_several_kernels_side_by_side(tmp_path: Path) -> None:
    harbour = RpmHarbour(tmp_path)
    harbour.source("one", P("kernel", "2-1"))
    harbour.installed(P("kernel", "1-1"))
    assert harbour.refresh().changes("--upgrade") == {"kernel.x86_64": "2-1 one"}


def test_an_upgrade_to_one_source_is_only_where_it_is(tmp_path: Path) -> None:
    for kind in (DEB, DNF, ALPM):
        harbour = harbour_of(kind, tmp_path / kind)
        harbour.source("one", Item("gull", "1").on(kind))
        said = harbour.refresh().run("forecast", "--upgrade", "--from", "one")
        assert (said.code, "for hosts of kind rpm-zypp" in said.err) == (2, True)
    harbour = RpmHarbour(tmp_path / "z", ZYPP)
    harbour.source("one", Item("gull", "2").on(ZYPP))
    harbour.source("two", Item("gull", "1").rpm("Other"))
    harbour.installed(Item("gull", "2").on(ZYPP))
    harbour.refresh()
    found = harbour.forecast("--upgrade", "--from", "two")
    assert harbour.changes_in(found) == {"gull.x86_64": "1-1 two"}
    assert found["next"] == ["zypper refresh", "zypper dist-upgrade --from two"]
    assert "did you mean two?" in harbour.run("forecast", "--upgrade", "--from", "twoo").err
    said = harbour.run("forecast", "--upgrade", "--realign", "--from", "two")
    assert (said.code, "leave one of them out" in said.err) == (2, True)
    harbour.done("off", "two", "--yes")
    said = harbour.run("forecast", "--upgrade", "--from", "two")
    assert (said.code, "velpin on two" in said.err) == (1, True)
