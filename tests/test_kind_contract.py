"""What every kind of host must keep, asked of each through its interface alone."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path

import pytest

from tests.conftest import Harbour
from velpin.change.journal import Journal
from velpin.change.shift import shift_between
from velpin.errors import Refusal
from velpin.fetch.download import FetchSettings, Transport
from velpin.front import as_json
from velpin.kinds import KINDS, open_host
from velpin.kinds.base import Host
from velpin.store.shelf import open_shelf
from velpin.tree import Tree
from velpin.wish import Wish


def deb_host(folder: Path) -> Path:
    """A root: `gull` in two sources, the newer installed nowhere; `tern` installed and held."""
    harbour = Harbour(folder)
    harbour.simple("base", ("gull", "1"), ("tern", "1"))
    harbour.simple("vendor", ("gull", "2"), ("vendor-tool", "5"))
    harbour.installed(("gull", "1"), ("tern", "1", "hold ok installed"))
    return harbour.root


MAKERS: dict[str, Callable[[Path], Path]] = {"velpin.kinds.deb": deb_host}


def test_every_kind_has_a_host_here() -> None:
    assert set(MAKERS) == set(KINDS)


@pytest.fixture(params=KINDS)
def root(request: pytest.FixtureRequest, tmp_path: Path) -> Path:
    made: Path = MAKERS[request.param](tmp_path)
    return made


def opened(root: Path) -> Host:
    tree = Tree(root)
    return open_host(tree, open_shelf(tree))


@pytest.fixture
def host(root: Path) -> Host:
    """The host, its indexes fetched through the interface."""
    first = opened(root)
    transport = Transport(FetchSettings(retries=0), wait=lambda _seconds: None)
    for source in first.sources:
        assert first.refresh(source.handle, transport).error is None
    return opened(root)


def test_looking(host: Host) -> None:
    facts = host.facts()
    assert (facts.on, facts.off, facts.not_fetched, facts.installed, facts.held) == (2, 0, 0, 2, 1)
    assert facts.kind == host.kind
    found = host.standings()
    assert {one.source.handle for one in found} == {"base", "vendor"}
    assert [one.tier for one in found] == sorted(one.tier or 0 for one in found)
    assert all(one.offers == 2 and one.copy == "velpin" for one in found)
    assert host.refused() is None
    with pytest.raises(Refusal):
        host.source("nobody")


def test_choosing(host: Host) -> None:
    found = host.forecast(["gull"])
    (answer,) = found.answers
    assert (answer.outcome, answer.version, answer.source) == ("upgrade", "2", "vendor")
    assert answer.reasons
    assert [one.source for one in answer.passed_over] == ["base"]
    assert json.loads(json.dumps(as_json.of_forecast(found)))["ok"] is True
    assert host.forecast(["gull"], "base").answers[0].version == "1"
    assert not host.forecast(["nobody"]).ok
    assert [offer.version for offer in host.offers(["gull"])] == ["2", "1"]
    assert [offer.name for offer in host.offers_from("vendor", "v*")] == ["vendor-tool"]
    assert "gull" in host.near_names("gul")
    assert [met.name for met in host.find("gull")[0]] == ["gull"]


def test_a_considered_change_is_another_host_and_no_write(host: Host) -> None:
    before = sorted(str(path) for path in (host.tree.root / "etc").rglob("*"))
    plan = host.plan_switch("vendor", False)
    after = host.with_edits(plan.edits)
    assert (host.facts().on, after.facts().on, after.facts().off) == (2, 1, 1)
    assert after.forecast(["gull"]).answers[0].version == "1"
    shift = shift_between(host, after, ("vendor-tool",))
    assert [(m.name, m.before, m.after) for m in shift.moved] == [
        ("gull", ("2", "vendor"), ("1", "base"))
    ]
    assert shift.turned == (("vendor-tool", ("5", "vendor"), None),)
    assert [one.outcome for one in shift.asked[0]] == ["install", "none"]
    assert sorted(str(path) for path in (host.tree.root / "etc").rglob("*")) == before


def test_the_whole_host(host: Host) -> None:
    host.open_indexes()
    assert (host.knows("gull"), host.knows("nobody")) == (True, False)
    assert sorted(host.installed_names()) == ["gull", "tern"]
    assert host.came_from("base") == ["gull", "tern"]
    stands = host.after_upgrade().stands
    assert {name: stand for (name, _), (_, stand) in stands.items()} == {
        "gull": ("2", "vendor"), "tern": ("1", "base"),
    }  # fmt: skip
    after = host.with_edits(host.plan_switch("vendor", False).edits)
    assert list(host.turned_since(after)) == [("vendor-tool", None, ("5", "vendor"))]
    assert list(host.turned_since(host)) == []
    one, tern, tool = host.pictured(["vendor-tool"])
    assert (one.name, one.installed, one.next, one.held) == ("gull", "1", ("2", "vendor"), False)
    assert {offer[:2] for offer in one.offers} == {("1", "base"), ("2", "vendor")}
    assert (tern.held, tool.installed, tool.next) == (True, None, ("5", "vendor"))


@pytest.mark.parametrize(
    ("wish", "gull", "tool"),
    [
        (Wish("prefer", (), "base", over=("vendor",)), "1", "5"),
        (Wish("confine", ("vendor-*",), "vendor"), "1", "5"),
        (Wish("pin", ("gull",), "", "1"), "1", "5"),
        (Wish("bar", ("gull",), "vendor"), "1", "5"),
        (Wish("keep", ("gull",)), "1", "5"),
        (Wish("confine", ("gull",), "vendor"), "2", None),
    ],
    ids=lambda value: value.kind if isinstance(value, Wish) else "",
)
def test_wishes(host: Host, wish: Wish, gull: str, tool: str | None) -> None:
    held = len(host.rules())
    plan = host.plan_wishes([wish])
    assert (plan.error, plan.unmet, plan.findings, plan.wishes) == (None, None, [], [wish])
    after = host.with_edits(plan.edits)
    assert after.forecast(["gull"]).answers[0].version == gull
    assert after.forecast(["vendor-tool"]).answers[0].version == tool
    assert after.plan_wishes([wish]).unchanged
    (mine,) = (rule for rule in after.rules() if rule.wish)
    assert (mine.wish, mine.dead, len(after.rules())) == (wish, None, held + 1)
    for lifted in (after.plan_lift([wish]), after.plan_rule_drop(mine.place)):
        before = after.with_edits({**plan.edits, **lifted.edits})
        assert before.forecast(["gull"]).answers[0].version == "2"
        assert len(before.rules()) == held
    with pytest.raises(Refusal):
        host.plan_lift([wish])


@pytest.mark.parametrize("what", ["off", "drop"])
def test_a_change_made_and_undone(host: Host, what: str) -> None:
    root = host.tree.root
    files = {path: path.read_bytes() for path in (root / "etc").rglob("*") if path.is_file()}
    plan = host.plan_switch("vendor", False) if what == "off" else host.plan_drop("vendor")
    journal = Journal(host.tree)
    journal.make(plan.edits, plan.command, plan.summary, planned_on=plan.planned_on)
    assert "vendor" not in {source.handle for source in opened(root).sources if source.on}
    journal.undo()
    assert {
        path: path.read_bytes() for path in (root / "etc").rglob("*") if path.is_file()
    } == files
    assert opened(root).forecast(["gull"]).answers[0].version == "2"
