"""How alpm hosts choose, statement by statement: one small host for each."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

import pytest

from tests.harbours import ALPM, CONF, AlpmHarbour
from tests.statements import Case, alpm_host, cases
from velpin.demo.alpm_files import DemoArchive as P

X86 = "Architecture = x86_64\n"
IGNORE_A = X86 + "IgnorePkg = a\n"
A1, A2, A3 = (P("a", f"{number}-1") for number in "123")
LIB1, LIB2, APP2 = P("lib", "1-1"), P("lib", "2-1"), P("app", depends=("lib>=2",))


def built(
    folder: Path,
    sources: Mapping[str, tuple[str, tuple[P, ...]]],
    here: tuple[P, ...] = (),
    main: str = X86,
) -> AlpmHarbour:
    """A host, its indexes fetched."""
    return alpm_host(folder, Case("", (ALPM,), dict(sources), (), None, here, main)).refresh()


@pytest.mark.parametrize("case", cases("alpm"), ids=lambda case: case.what)
def test_statement(case: Case, tmp_path: Path) -> None:
    harbour = alpm_host(tmp_path, case)
    harbour.run("refresh")
    assert harbour.changes(*case.asked) == case.comes


# -- ways out, questions, the chain --------------------------------------------------------


def ways(harbour: AlpmHarbour, *asked: str) -> list[str]:
    """The ways out that a refusal offers."""
    found = harbour.forecast(*asked)
    assert not found["ok"]
    return [one["command"] for one in found["remedies"]]


def test_ways_out_are_tried(tmp_path: Path) -> None:
    order = built(tmp_path / "1", {"one": ("", (LIB1, APP2)), "two": ("", (LIB2,))})
    assert "velpin forecast app lib" in ways(order, "lib", "app")
    broken = {"one": ("", (P("a", "2-1", depends=("nowhere",)),)), "two": ("", (A1,))}
    assert ways(built(tmp_path / "2", broken), "a") == ["velpin forecast a%two"]
    ignored = {"one": ("", (P("r", depends=("a",)), A1))}
    harbour = built(tmp_path / "3", ignored, main=IGNORE_A)
    assert ways(harbour, "r") == ["velpin forecast a%one r", "velpin rules drop etc/pacman.conf:4"]
    assert harbour.changes("a%one", "r") == {"a": "1-1 one", "r": "1.0-1 one"}
    off = built(tmp_path / "4", {"one": ("", (A1,)), "two": ("", (LIB1,))})
    off.done("off", "two", "--yes")
    assert ways(off, "a", "lib") == ["velpin on two"]


QUESTIONS = [
    ("cap", {"one": ("", (P("b", provides=("cap",)), P("z", provides=("cap",))))}, "",
     "choose what provides cap: b (one), z (one); the first is b", "the first"),
    ("a", {"one": ("", (A1,))}, "IgnorePkg = a\n",
     "install a although it is ignored (etc/pacman.conf:4)", "yes"),
    ("g", {"one": ("", (P("a", groups=("g",)), P("b", groups=("g",))))}, "",
     "choose among the 2 packages of g", "all"),
    ("--upgrade", {"one": ("", (P("b", replaces=("old",)),))}, "",
     "replace old with b from one", "yes"),
]  # fmt: skip


@pytest.mark.parametrize(("asked", "sources", "options", "told", "answer"), QUESTIONS)
def test_what_the_installer_will_ask_is_said(
    tmp_path: Path,
    asked: str,
    sources: dict[str, tuple[str, tuple[P, ...]]],
    options: str,
    told: str,
    answer: str,
) -> None:
    found = built(tmp_path, sources, (P("old"),), X86 + options).forecast(asked)
    assert found["ok"]
    asks = [(q["text"], q["default"], q["unattended"], q["option"]) for q in found["questions"]]
    assert asks == [
        (told, answer, answer, "--noconfirm"),
        ("confirm the transaction", "yes", "yes", "--noconfirm"),
    ]


TIDE1, TIDE2 = P("tide", "1-1"), P("tide", "2-1")
USER1, USER2 = P("user", "1-1", depends=("tide",)), P("user", "2-1", depends=("tide",))
NEW, OTHER1, OTHER2 = P("new", "1-1", depends=("tide",)), P("other", "1-1"), P("other", "2-1")
PARTIAL = [
    (("new",), (NEW, TIDE2), (TIDE1,), 1, [("built-for-newer", "new", "tide")]),
    (("new",), (NEW, TIDE1), (TIDE1,), None, []),
    (("new",), (NEW, TIDE1, OTHER2), (TIDE1, OTHER1), 1, []),
    (("new",), (NEW, TIDE2, USER2, OTHER2), (TIDE1, USER1, OTHER1), 3,
     [("built-for-newer", "new", "tide")]),
    (("tide",), (TIDE2, USER2), (TIDE1, USER1), 1, [("user-left-behind", "user", "tide")]),
    (("tide",), (TIDE2, USER1), (TIDE1, USER1), None, []),
    (("tide", "user"), (TIDE2, USER2), (TIDE1, USER1), None, []),
    (("tide", "user"), (TIDE2, USER2, OTHER2), (TIDE1, USER1, OTHER1), 1, []),
    (("--upgrade", "new"), (NEW, TIDE2, OTHER2), (TIDE1, OTHER1), None, []),
    (("tide",), (TIDE1, OTHER2), (TIDE1, OTHER1), 1, []),
]  # fmt: skip


@pytest.mark.parametrize(("asked", "offered", "here", "count", "risks"), PARTIAL)
def test_what_may_not_fit_after_a_partial_upgrade(
    tmp_path: Path,
    asked: tuple[str, ...],
    offered: tuple[P, ...],
    here: tuple[P, ...],
    count: int | None,
    risks: list[tuple[str, str, str]],
) -> None:
    found = built(tmp_path, {"one": ("", offered)}, here).forecast(*asked)
    assert found["ok"]
    told = [note for note in found["notes"] if note["code"] == "partial-upgrade"]
    assert [note["count"] for note in told] == ([count] if count else [])
    causes = [
        (each["code"], each["name"], each["other"])
        for note in told
        for each in note.get("because", [])
    ]
    assert causes == risks
    words = " ".join(asked)
    assert all(f"velpin forecast --upgrade {words} brings" in note["text"] for note in told)


def test_an_upgrade_that_leaves_what_is_ignored_is_no_partial_one(tmp_path: Path) -> None:
    options = X86 + "IgnorePkg = other\n"
    host = built(tmp_path, {"one": ("", (NEW, TIDE1, OTHER2))}, (TIDE1, OTHER1), options)
    assert "partial-upgrade" not in [note["code"] for note in host.forecast("new")["notes"]]


CHAINS = [
    ("r", {"one": ("", (P("r", depends=("s",)), P("s", depends=("t>=2",)), P("t", "1-1")))}, (),
     ["r 1.0-1 needs s", "s 1.0-1 needs t>=2"], ["t is only available in version 1-1"]),
    ("r", {"one": ("", (P("r", depends=("gone",)),))}, (),
     ["r 1.0-1 needs gone"], ["no enabled source has anything called gone"]),
    ("a", {"one": ("", (A2,))}, (A1, P("r", depends=("a<2",))),
     ["the installed r 1.0-1 needs a<2, which a 2-1 does not meet"], []),
    ("r", {"one": ("", (P("r", conflicts=("a",)),))}, (A1,),
     ["r 1.0-1 conflicts with the installed a 1-1 (a); the installer will ask whether to remove a,"
      " and the default is no"], []),
]  # fmt: skip


@pytest.mark.parametrize(("asked", "sources", "here", "chain", "causes"), CHAINS)
def test_why_it_is_refused(
    tmp_path: Path,
    asked: str,
    sources: dict[str, tuple[str, tuple[P, ...]]],
    here: tuple[P, ...],
    chain: list[str],
    causes: list[str],
) -> None:
    found = built(tmp_path, sources, here).forecast(asked)
    assert [one["text"] for one in found["because"]] == chain
    told = [one["text"] for one in found["because"][-1].get("because", [])]
    assert told == causes


def test_why_one_and_not_the_other(tmp_path: Path) -> None:
    sources = {"one": ("", (A1,)), "two": ("", (A3,)), "three": ("Usage = Sync\n", (A2,))}
    harbour = built(tmp_path, sources, (A2,))
    (answer,) = harbour.forecast("a")["answers"]
    assert (answer["outcome"], answer["decided_by"]) == ("downgrade", "order of sources")
    assert [one["text"] for one in answer["reasons"]] == [
        "one comes before two, and the first source that has it wins, whatever the version",
        "the host's installer takes it although the installed 2-1 is newer",
    ]
    assert {one["source"]: one["why"] for one in answer["passed_over"]} == {
        "two": "newer, but one comes before it and has 1-1",
        "three": "the Usage of three excludes installing",
    }
    (again,) = harbour.forecast("a%two")["answers"]
    assert again["reasons"][0]["text"] == "3-1 is what two has"


def test_a_source_that_was_never_fetched_refuses_everything(tmp_path: Path) -> None:
    harbour = AlpmHarbour(tmp_path)
    harbour.source("one", A1)
    harbour.source("two", A2)
    harbour.run("refresh", "one")
    found = harbour.forecast("a")
    assert (found["ok"], "no index of two here yet" in found["problem"]) == (False, True)
    assert harbour.refresh().changes("a") == {"a": "1-1 one"}


def test_without_a_source_the_upgrade_is_refused(tmp_path: Path) -> None:
    harbour = built(tmp_path, {"one": ("", (A1,))}, (A1,))
    assert harbour.changes("--upgrade") == {}
    told = harbour.done("off", "one", "--yes")
    assert "would refuse the next full upgrade: no source is enabled" in told
    found = harbour.forecast("--upgrade")
    assert (found["ok"], "no source is enabled" in found["problem"]) == (False, True)
    assert harbour.changes("a") is None


def test_what_nothing_needs_any_more(tmp_path: Path) -> None:
    sources = {"one": ("", (P("a", "2-1"),))}
    here = (
        P("a", "1-1", depends=("lib",)),
        P("lib", as_dependency=True),
        P("other", as_dependency=True),
    )
    found = built(tmp_path, sources, here).forecast("a")
    assert found["unneeded"] == ["lib"]


@pytest.mark.parametrize(
    ("archs", "servers", "line"),
    [
        ("", ("http://a.example/$repo",), None), ("", ("http://a.example/$repo/$arch",), 5),
        ("", ("http://a.example", "http://b.example/$arch"), 6),
        ("Architecture = x86_64\n", ("http://a.example/$repo/$arch",), None),
        ("", ("", "http://b.example/$arch"), 6),
    ],
)  # fmt: skip
def test_an_architecture_that_is_used_must_be_set(
    tmp_path: Path, archs: str, servers: tuple[str, ...], line: int | None
) -> None:
    harbour = AlpmHarbour(tmp_path, archs)
    lines = "".join(f"Server = {server}\n" for server in servers)
    harbour.put(CONF, f"{harbour.read()}\n[birds]\n{lines}")
    found = harbour.ports().readiness.refusal()
    shift = 1 if archs else 0
    assert (found and found.line) == (line and line + shift)


def test_what_goes_itself_is_not_told_as_needed_no_more(tmp_path: Path) -> None:
    harbour = AlpmHarbour(tmp_path)
    harbour.source("base", P("boat", "2-1"), P("paddle", "1-1", replaces=("oar",)))
    harbour.installed(P("boat", "1-1", depends=("oar", "sail")), P("oar", "1-1", as_dependency=True),
                      P("sail", "1-1", as_dependency=True))  # fmt: skip
    found = harbour.refresh().forecast("--upgrade")
    changes = {one["name"]: one["new"] for one in found["changes"]}
    assert changes == {"boat": "2-1", "oar": None, "paddle": "1-1"}
    assert found["unneeded"] == ["sail"]
