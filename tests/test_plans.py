"""Plans put together, and the journal's edges: which entry is meant, which stands in the way, which
cannot be read."""

from __future__ import annotations

import json
import os
from collections.abc import Collection
from pathlib import Path
from typing import Any

import pytest

from tests.harbours import DebHarbour
from velpin.change.journal import FOLDER, Journal
from velpin.change.plan import Plan, check_writable, plan_undo
from velpin.errors import (
    CannotWrite,
    ChangedSince,
    PlanRefused,
    Refusal,
    StoreError,
    VelpinError,
)
from velpin.files.tree import Tree
from velpin.model.reason import Place, Reason
from velpin.model.rule import Verdict

A, B, C = "etc/a", "etc/b", "etc/c"
NO, NOR = Refusal("no"), Refusal("nor")


class F(Reason):
    says = "f"


class G(Reason):
    says = "g"


class M(Reason):
    says = "m"


class N(Reason):
    says = "n"


class X(Reason):
    says = "x"


UNMET, OTHERWISE = Verdict(False, X(), Place("etc/r", 3)), Verdict(False)


@pytest.fixture
def tree(harbour: DebHarbour) -> Tree:
    harbour.put(A, "a")
    harbour.put(B, "b")
    return Tree(harbour.root)


@pytest.fixture
def journal(harbour: DebHarbour) -> Journal:
    times = iter(range(1000, 9000))
    return Journal(Tree(harbour.root), lambda: float(next(times)))


def plan(
    tree: Tree,
    name: str,
    edits: dict[str, bytes | None],
    private: Collection[str] = (),
    **more: Any,
) -> Plan:
    made = Plan(name, f"do {name}", **more)
    made.propose(tree, edits, private=private)
    return made


# -- plans ---------------------------------------------------------------------------------


def test_one_plan_after_another_is_one(tree: Tree) -> None:
    first = plan(tree, "one", {A: b"1", B: b"1"}, handles=["x"], notes=[N()],
                 private={A}, findings=[F()])  # fmt: skip
    second = plan(tree, "two", {B: b"2", C: b"2"}, handles=["y"], private={C},
                  notes=[M()], findings=[G()])  # fmt: skip
    first.propose_modes(tree, {A: 0o600, B: 0o600})
    second.propose_modes(tree, {B: 0o640})
    whole = first.then(second)
    assert (whole.command, whole.summary) == ("one && two", "do one; do two")
    assert list(whole.edits.items()) == [(B, b"2"), (C, b"2"), (A, b"1")]
    assert [(edit.before, edit.mode, edit.is_private) for edit in whole.files] == [
        (b"b", 0o640, False), (None, None, True), (b"a", 0o600, True),
    ]  # fmt: skip
    assert whole.handles == ["x", "y"]
    assert [note.code for note in whole.notes] == ["n", "m"]
    assert [finding.code for finding in whole.findings] == ["f", "g"]
    assert whole.modes == {A: 0o600, B: 0o640, C: 0o600}


def test_a_new_name_and_new_rights_outlast_a_further_change(tree: Tree) -> None:
    first, second = Plan("one", "one"), plan(tree, "two", {C: b"2"})
    first.propose_renaming(tree, A, C)
    whole = first.then(second)
    assert [(edit.file, edit.before, edit.after, edit.was) for edit in whole.files] == [
        (C, None, b"2", A), (A, b"a", None, ""),
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("command", "edits", "is_nothing"),
    [("", {}, True), ("one", {}, False), ("", {A: b"1"}, False), ("one", {A: b"1"}, False)],
)
def test_a_plan_after_nothing_is_itself(
    tree: Tree, command: str, edits: dict[str, bytes | None], is_nothing: bool
) -> None:
    second = plan(tree, "two", {B: b"2"})
    assert (plan(tree, command, edits).then(second) is second) == is_nothing


@pytest.mark.parametrize(
    ("first", "second", "error", "unmet"),
    [
        ({}, {}, None, None),
        ({"error": NO}, {}, NO, None),
        ({}, {"error": NO}, NO, None),
        ({"error": NO}, {"error": NOR}, NO, None),
        ({"unmet": UNMET}, {}, None, UNMET),
        ({}, {"unmet": UNMET}, None, UNMET),
        ({"unmet": UNMET}, {"unmet": OTHERWISE}, None, UNMET),
        ({"error": NO}, {"unmet": UNMET}, NO, UNMET),
    ],
)
def test_what_stops_one_stops_both(
    tree: Tree, first: dict[str, Any], second: dict[str, Any], error: object, unmet: object
) -> None:
    whole = plan(tree, "one", {A: b"1"}, **first).then(plan(tree, "two", {B: b"2"}, **second))
    assert (whole.error, whole.unmet) == (error, unmet)


@pytest.mark.parametrize(
    ("edits", "more", "unchanged"),
    [
        ({}, {}, True),
        ({A: b"a"}, {}, True),
        ({A: b"a", B: b"b"}, {}, True),
        ({A: b"a", B: b"2"}, {}, False),
        ({A: b"1", B: b"b"}, {}, False),
        ({C: None}, {}, True),
        ({A: None}, {}, False),
        ({A: b"a"}, {"error": NO}, False),
    ],
)
def test_when_nothing_would_change(
    tree: Tree, edits: dict[str, bytes | None], more: dict[str, Any], unchanged: bool
) -> None:
    assert plan(tree, "one", edits, **more).unchanged == unchanged


def test_new_rights_alone_are_a_change(tree: Tree) -> None:
    made = plan(tree, "one", {A: b"a"})
    made.propose_modes(tree, {A: 0o600})
    assert not made.unchanged


@pytest.mark.parametrize(
    ("more", "anyway", "why"),
    [
        ({}, False, None),
        ({"error": NO}, False, "no"),
        ({"error": NO}, True, "no"),
        ({"error": NO, "unmet": UNMET, "findings": [F()]}, False, "no"),
        ({"unmet": UNMET}, False, "x"),
        ({"unmet": UNMET}, True, "x"),
        ({"unmet": UNMET, "findings": [F()]}, False, "x"),
        ({"unmet": OTHERWISE}, False, None),
        ({"findings": [F(), G()]}, False, "f, overruled by --anyway"),
        ({"findings": [F()]}, True, None),
    ],
)
def test_what_stops_a_plan(more: dict[str, Any], anyway: bool, why: str | None) -> None:
    found = Plan("one", "do one", **more).why_not(anyway=anyway)
    if isinstance(found, PlanRefused):
        told = found.reason.code + (", overruled by --anyway" if found.may_overrule else "")
        assert found.place == (Place("etc/r", 3) if found.reason.code == "x" else None)
    else:
        told = None if found is None else found.message
    assert told == why


@pytest.mark.parametrize(
    ("more", "anyway", "is_made"),
    [
        ({}, False, True), ({"error": NO}, True, False), ({"unmet": UNMET}, True, False),
        ({"findings": [F()]}, False, False), ({"findings": [F()]}, True, True),
    ],
)  # fmt: skip
def test_a_plan_that_is_stopped_writes_nothing(
    harbour: DebHarbour, more: dict[str, Any], anyway: bool, is_made: bool
) -> None:
    made = plan(Tree(harbour.root), "one", {"etc/new": b"x"}, **more)
    before = harbour.files()
    try:
        harbour.host().changes.apply(made, anyway=anyway)
    except VelpinError:
        assert (is_made, harbour.files()) == (False, before)
    else:
        assert (is_made, harbour.files()["etc/new"][0]) == (True, b"x")


def test_new_rights_keep_contents_and_other_edits(tree: Tree) -> None:
    made = plan(tree, "one", {A: b"1", C: b"c"}, private=[C])
    made.propose_modes(tree, {A: 0o644, B: 0o640})
    assert [(edit.file, edit.before, edit.after, edit.mode) for edit in made.files] == [
        (A, b"a", b"1", 0o644), (C, None, b"c", None), (B, b"b", b"b", 0o640),
    ]  # fmt: skip
    assert made.modes == {A: 0o644, B: 0o640, C: 0o600}


@pytest.mark.skipif(os.geteuid() != 0, reason="rights of others can be set by root alone")
@pytest.mark.parametrize(
    ("made", "allowed", "stops"),
    [(True, True, False), (True, False, True), (False, True, False), (False, False, False)],
)
def test_who_may_write(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, made: bool, allowed: bool, stops: bool
) -> None:
    if made:
        (tmp_path / "etc").mkdir()
    monkeypatch.setattr("velpin.change.plan.os.access", lambda _path, _how: allowed)
    if stops:
        with pytest.raises(CannotWrite):
            check_writable(Tree(tmp_path))
    else:
        check_writable(Tree(tmp_path))


# -- the journal ---------------------------------------------------------------------------


def test_the_undoing_of_an_entry_is_planned(
    harbour: DebHarbour, tree: Tree, journal: Journal
) -> None:
    (harbour.root / A).chmod(0o640)
    entry = journal.make({A: b"1", B: None, C: b"c"}, "one", "do it", modes={A: 0o600})
    found = plan_undo(tree, entry)
    assert found.edits == {A: b"a", B: b"b", C: None}
    assert (found.modes, found.undoes) == ({A: 0o640}, 1)
    assert (found.command, found.summary) == ("velpin undo 1", "undo 1: do it")


def damage(harbour: DebHarbour, number: int) -> None:
    harbour.put(f"{FOLDER}/journal/{number:06d}.json", "{").chmod(0o600)


@pytest.mark.parametrize(
    ("damaged", "asked", "found"),
    [
        (0, 0, 3), (0, 1, 1), (0, 3, 3), (0, 4, Refusal), (1, 0, 3), (2, 0, 3), (3, 0, StoreError),
        (2, 2, StoreError), (2, 1, 1), (3, 3, StoreError), (3, 2, 2),
    ],
)  # fmt: skip
def test_which_entry_is_taken_back(
    harbour: DebHarbour, tree: Tree, journal: Journal, damaged: int, asked: int, found: Any
) -> None:
    for text in (b"1", b"2", b"3"):
        journal.make({A: text}, "one", "do it")
    if damaged:
        damage(harbour, damaged)
    if isinstance(found, int):
        assert journal.find(asked).number == found
    else:
        with pytest.raises(found):
            journal.find(asked)
    assert len(journal.entries()) == (2 if damaged else 3)
    assert len(journal.damaged()) == bool(damaged)
    journal.make({B: b"9"}, "one", "do it")
    assert journal.entries()[-1].number == 4  # a damaged one keeps its number


def test_what_was_undone_and_what_undoes_is_passed_over(tree: Tree, journal: Journal) -> None:
    for text in (b"1", b"2"):
        journal.make({A: text}, "one", "do it")
    journal.undo()
    assert journal.find().number == 1
    with pytest.raises(Refusal, match="already undone by 3"):
        journal.find(2)
    journal.undo()
    with pytest.raises(Refusal, match="nothing to undo"):
        journal.find()
    assert journal.find(4).undoes == 1


@pytest.mark.parametrize(
    ("later", "undone", "in_the_way"),
    [
        ([{B: b"2"}], [], 0),
        ([{A: b"2"}], [], 2),
        ([{A: b"2"}, {A: b"1"}], [], 3),
        ([{A: b"2"}, {A: b"3"}], [], 3),
        ([{A: b"2"}, {B: b"3"}], [], 2),
        ([{A: b"2"}], [2], 0),
        ([{A: b"2"}, {A: b"3"}], [3], 2),
    ],
    ids=["another file", "the same", "the same and back", "twice", "then another", "taken back",
         "one of two taken back"],
)  # fmt: skip
def test_which_later_change_is_in_the_way(
    tree: Tree, journal: Journal, later: list[dict[str, bytes | None]], undone: list[int],
    in_the_way: int,
) -> None:  # fmt: skip
    journal.make({A: b"1"}, "one", "do it")
    for edits in later:
        journal.make(edits, "one", "do it")
    for number in undone:
        journal.undo(number)
    if in_the_way:
        with pytest.raises(ChangedSince) as problem:
            journal.undo(1)
        assert problem.value.hint == f"undo the later change first: velpin undo {in_the_way}"
    else:
        assert journal.undo(1).undoes == 1


GOOD: dict[str, Any] = {"mode": "644", "owner": [0, 0], "text": "x"}


@pytest.mark.parametrize(
    ("change", "read"),
    [
        ({}, True),
        ({"file": ""}, False), ({"file": "/etc/a"}, False), ({"file": "etc/../../a"}, False),
        ({"file": "etc/a\0"}, False), ({"file": "etc/..a"}, True), ({"file": 3}, False),
        ({"mode": "0"}, True), ({"mode": "7777"}, True), ({"mode": "10000"}, False),
        ({"mode": "-1"}, False), ({"mode": "8"}, False), ({"mode": 420}, False),
        ({"owner": [0, 0xFFFFFFFE]}, True), ({"owner": [0, 1 << 32]}, False),
        ({"owner": [1 << 32, 0]}, False), ({"owner": [-1, 0]}, False), ({"owner": [0, -1]}, False),
        ({"owner": [0]}, False), ({"owner": [True, 0]}, False), ({"owner": "00"}, False),
        ({"text": 3}, False), ({"link": 3}, False), ({"attributes": []}, False),
        ({"attributes": {"user.x": "eA=="}}, True), ({"attributes": {"user.x": "e"}}, False),
        ({"number": 0}, True), ({"number": -1}, False), ({"number": True}, False),
        ({"undoes": -1}, False), ({"undoes": 999_999}, True), ({"undoes": 10**7}, False),
        ({"command": 1}, False), ({"summary": None}, False), ({"folders": [1]}, False),
        ({"folders": "etc"}, False), ({"time": "x"}, False), ({"time": float("nan")}, False),
        ({"edits": {}}, False), ({"edits": [3]}, False),
    ],
)  # fmt: skip
def test_what_an_entry_may_say(
    harbour: DebHarbour, tree: Tree, journal: Journal, change: dict[str, Any], read: bool
) -> None:
    entry: dict[str, Any] = {
        "number": 1, "time": 5.0, "command": "c", "summary": "s", "undoes": 0, "folders": [],
        "edits": [{"file": A, "before": dict(GOOD), "after": dict(GOOD)}],
    }  # fmt: skip
    for key, value in change.items():
        if key == "file":
            entry["edits"][0]["file"] = value
        elif key in entry:
            entry[key] = value
        else:
            entry["edits"][0]["after"][key] = value
    harbour.put(f"{FOLDER}/journal/000001.json", json.dumps(entry)).chmod(0o600)
    assert (len(journal.entries()), len(journal.damaged())) == ((1, 0) if read else (0, 1))
