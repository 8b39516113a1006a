"""What every kind of host must keep, asked of each through its interface alone."""

from __future__ import annotations

import json
import re
from pathlib import Path

import pytest

from tests import plain_kind
from tests.kind_hosts import MAKERS, Told
from velpin.core.host_diff import changed_answers
from velpin.errors import NotAHost, Refusal
from velpin.front.json_values import jsonable
from velpin.host.host import Host
from velpin.host.opening import open_host
from velpin.kinds import KINDS
from velpin.model.rule import Bar, Confine, Keep, Pin, Prefer, Rule


def test_every_kind_has_a_host_here() -> None:
    assert set(MAKERS) == set(KINDS)


@pytest.fixture(autouse=True)
def a_kind_more(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setitem(KINDS, "plain", lambda: plain_kind)  # type: ignore[arg-type]


@pytest.fixture(params=sorted(MAKERS))
def root(request: pytest.FixtureRequest, tmp_path: Path) -> Path:
    return MAKERS[request.param].make(tmp_path)


@pytest.fixture
def told(host: Host) -> Told:
    """What to expect of the host's kind."""
    return MAKERS[host.kind]


def opened(root: Path) -> Host:
    return open_host(root)


@pytest.fixture
def host(root: Path) -> Host:
    """The host, its indexes fetched through the interface."""
    first = opened(root)
    assert [result.error for result in first.sources.refresh()] == [None] * len(first.sources)
    return opened(root)


def test_looking(host: Host, told: Told) -> None:
    facts = host.facts()
    assert (*facts.sources, facts.installed) == (2, 0, 0, 2)
    assert facts.held == told.held
    assert facts.kind == host.kind
    found = host.sources.statuses()
    assert {one.source.handle for one in found} == {"base", "vendor"}
    assert [one.tier for one in found] == sorted(one.tier or 0 for one in found)
    assert all(one.offers == 2 and one.copy == "velpin" for one in found)
    assert host.checkup.refused() is None
    with pytest.raises(Refusal):
        host.sources.find("nobody")


def test_choosing(host: Host, told: Told) -> None:
    one, two = "1" + told.release, "2" + told.release
    found = host.forecast(["gull"])
    (answer,) = found.answers
    assert (answer.outcome, answer.version, answer.source) == ("upgrade", two, "vendor")
    assert answer.reasons
    assert [one.source for one in answer.passed_over] == ["base"]
    assert json.loads(json.dumps(jsonable(found)))["ok"] is True
    assert host.forecast(["gull"], "base").answers[0].version == one
    assert not host.forecast(["nobody"]).ok
    assert [offer.version for offer in host.packages.offers(["gull"])] == [two, one]
    assert [offer.name for offer in host.packages.offers_from("vendor", "v*")] == ["vendor-tool"]
    assert "gull" in host.packages.near_names("gul")
    assert [met.name for met in host.packages.find("gull")[0]] == ["gull"]


def test_a_considered_change_is_another_host_and_no_write(host: Host, told: Told) -> None:
    one, two, five = (number + told.release for number in "125")
    before = sorted(str(path) for path in (host.tree.root / "etc").rglob("*"))
    plan = host.sources.plan_switch("vendor", False)
    after = host.considering(plan)
    assert (host.facts().sources.on, *after.facts().sources[:2]) == (2, 1, 1)
    assert after.forecast(["gull"]).answers[0].version == one
    shift = host.changes.shift(plan, ("vendor-tool",))
    assert [(one.name, one.before, one.after) for one in shift.upgrades] == [
        ("gull", (two, "vendor"), (one, "base"))
    ]
    assert shift.answers == (("vendor-tool", (five, "vendor"), None),)
    assert [answer.outcome for answer in shift.asked[0]] == ["install", "none"]
    assert sorted(str(path) for path in (host.tree.root / "etc").rglob("*")) == before


def test_the_whole_host(host: Host, told: Told) -> None:
    one, two, five = (number + told.release for number in "125")
    host.packages.parse_indexes()
    assert (host.packages.knows("gull"), host.packages.knows("nobody")) == (True, False)
    assert sorted(host.packages.installed_names()) == ["gull", "tern"]
    assert host.packages.came_from("base") == ["gull", "tern"]
    selections = host.after_upgrade().selections
    assert {name: selection for (name, _), (_, selection) in selections.items()} == {
        "gull": (two, "vendor"), "tern": (one, "base"),
    }  # fmt: skip
    after = host.with_edits(host.sources.plan_switch("vendor", False).edits)
    assert list(changed_answers(after._ports, host._ports)) == [
        ("vendor-tool", None, (five, "vendor"))
    ]
    assert list(changed_answers(host._ports, host._ports)) == []
    gull, tern, tool = host.snapshot(["vendor-tool"]).packages
    assert (gull.name, gull.installed, gull.next, gull.held) == (
        "gull",
        one,
        (two, "vendor"),
        False,
    )
    assert {offer[:2] for offer in gull.offers} == {(one, "base"), (two, "vendor")}
    assert (tern.held, tool.installed, tool.next) == (bool(told.held), None, (five, "vendor"))


def next_of(host: Host, name: str) -> str | None:
    """The version of an installed package after the next upgrade."""
    (found,) = (
        selection
        for (one, _), (_, selection) in host.after_upgrade().selections.items()
        if one == name
    )
    return found.version if found else None


@pytest.mark.parametrize(
    ("rule", "gull", "tool"),
    [
        (Prefer("base", ("vendor",)), "1", "5"),
        (Confine("vendor", ("vendor-*",)), "1", "5"),
        (Pin(("gull",), "1"), "1", "5"),
        (Bar(("gull",), source="vendor"), "1", "5"),
        (Keep(("gull",)), "1", "5"),
        (Confine("vendor", ("gull",)), "2", None),
    ],
    ids=lambda value: value.kind if isinstance(value, Rule) else "",
)
def test_rules(host: Host, told: Told, rule: Rule, gull: str, tool: str | None) -> None:
    if rule.kind in told.refuses:
        with pytest.raises(Refusal) as refused:
            host.rules.plan([rule])
        assert re.match(r"the nearest[^:]*: velpin (prefer|keep) ", refused.value.hint or "")
        return
    held = len(host.rules.in_force())
    plan = host.rules.plan([rule])
    assert (plan.error, plan.unmet, plan.findings, plan.rules) == (None, None, [], [rule])
    after = host.with_edits(plan.edits)
    assert next_of(after, "gull") == gull + told.release
    assert after.forecast(["vendor-tool"]).answers[0].version == (tool and tool + told.release)
    assert after.rules.plan([rule]).unchanged
    (mine,) = (rule for rule in after.rules.in_force() if rule.rule)
    assert (mine.rule, mine.dead, len(after.rules.in_force())) == (rule, None, held + 1)
    for lifted in (after.rules.plan_lift([rule]), after.rules.plan_drop(mine.place)):
        before = after.with_edits({**plan.edits, **lifted.edits})
        assert next_of(before, "gull") == "2" + told.release
        assert len(before.rules.in_force()) == held
    with pytest.raises(Refusal):
        host.rules.plan_lift([rule])


@pytest.mark.parametrize("what", ["off", "drop"])
def test_a_change_made_and_undone(host: Host, told: Told, what: str) -> None:
    root = host.tree.root
    files = {path: path.read_bytes() for path in (root / "etc").rglob("*") if path.is_file()}
    plan = (
        host.sources.plan_switch("vendor", False)
        if what == "off"
        else host.sources.plan_drop("vendor")
    )
    host.changes.apply(plan)
    assert "vendor" not in {source.handle for source in opened(root).sources if source.on}
    host.changes.apply(host.changes.plan_undo())
    assert {
        path: path.read_bytes() for path in (root / "etc").rglob("*") if path.is_file()
    } == files
    assert opened(root).forecast(["gull"]).answers[0].version == "2" + told.release


LEFT_BEHIND = ("etc/zypp/repos.d/x.repo", "etc/dnf/dnf.conf", "etc/pacman.conf", "etc/apt/x",
               "var/lib/dpkg/status")  # fmt: skip


def test_settings_of_other_installers_do_not_change_what_host_it_is(host: Host, told: Told) -> None:
    for name in LEFT_BEHIND:
        path = host.tree.root / name
        if not path.exists():
            path.parent.mkdir(parents=True, exist_ok=True)
            path.touch()
    layouts = {"rpm-dnf", "rpm-zypp"}  # one record for both: settings decide
    again = open_host(host.tree.root)
    assert again.kind == host.kind or {again.kind, host.kind} == layouts


def test_an_empty_root_is_no_host(tmp_path: Path) -> None:
    with pytest.raises(NotAHost):
        open_host(tmp_path)
