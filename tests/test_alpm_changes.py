"""Changing alpm hosts: sections moved, switched, added and dropped, names ignored, undo."""

from __future__ import annotations

import json
import os
import random
import shlex
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.harbours import CONF, AlpmHarbour
from tests.installer.alpm_drawn import NAMES, AlpmDrawn
from velpin.demo.alpm_files import DemoArchive as P
from velpin.demo.alpm_files import write_alpm_repository
from velpin.demo.signer import Signer
from velpin.files.tree import Tree
from velpin.kinds.alpm import AlpmPorts
from velpin.kinds.alpm.edit import Text
from velpin.model.rule import Bar, Confine, Keep, Pin, Prefer, Rule, words_of
from velpin.ports.view import View
from velpin.store.cache import open_cache
from velpin.trust.openpgp import read_keys

HOSTS = int(os.environ.get("VELPIN_DRAWN_HOSTS", "8"))
RING = "etc/pacman.d/gnupg/pubring.gpg"


def files_of(harbour: AlpmHarbour) -> dict[str, bytes]:
    """Every file of the host's configuration."""
    return {
        str(path.relative_to(harbour.root)): path.read_bytes()
        for path in sorted((harbour.root / "etc").rglob("*"))
        if path.is_file()
    }


def order(harbour: AlpmHarbour) -> list[str]:
    """The sources that are on, as they win."""
    return [one.handle for one in harbour.host().sources if one.on]


# -- sections ------------------------------------------------------------------------------

SHIPPED = """\
# what the distribution ships
[options]
Architecture = x86_64
SigLevel = Never

#[testing]
#Include = /etc/pacman.d/mirrors

# the base
[base]
Include = /etc/pacman.d/mirrors

# a floating remark

[extra]
## nearer
#Server = file:///far
Include = /etc/pacman.d/mirrors
# belongs to extra

Include = /etc/pacman.d/more/*.conf
Usage = All
"""


@pytest.fixture
def shipped(tmp_path: Path) -> AlpmHarbour:
    """A host with what real ones have: shared mirrors, sections in further files, one that is
    commented out, comments everywhere."""
    harbour = AlpmHarbour(tmp_path)
    harbour.put(CONF, SHIPPED)
    harbour.put(
        "etc/pacman.d/mirrors", f"#Server = file:///x\nServer = file://{tmp_path}/repos/$repo\n"
    )
    harbour.put("etc/pacman.d/more/20-b.conf", "[late]\nInclude = /etc/pacman.d/mirrors\n")
    harbour.put("etc/pacman.d/more/10-a.conf", "# mine\n[early]\nInclude = /etc/pacman.d/mirrors\n")
    for place, name in enumerate(("base", "extra", "early", "late", "testing"), 1):
        harbour.repository(name, P("gull", f"{place}-1"), P(f"only-{name}"))
    harbour.installed(P("gull", "1-1"))
    return harbour.refresh()


def test_sections_of_all_files_in_order(shipped: AlpmHarbour) -> None:
    assert order(shipped) == ["base", "extra", "early", "late"]
    off = [one for one in shipped.host().sources if not one.on]
    assert [(one.handle, one.servers) for one in off] == [
        ("testing", (f"file://{shipped.folder}/repos/testing",))
    ]


@pytest.mark.parametrize(
    ("words", "then"),
    [
        (["early", "--over", "base"], ["early", "base", "extra", "late"]),
        (["base", "--under", "extra"], ["extra", "base", "early", "late"]),
        (["extra", "--under", "early"], ["base", "early", "extra", "late"]),
        (["late", "--over-all"], ["late", "base", "extra", "early"]),
        (["base", "--under", "late"], ["extra", "early", "late", "base"]),
        (["late", "--over", "early", "--under", "extra"], ["base", "extra", "late", "early"]),
    ],
    ids=" ".join,
)
def test_a_section_is_put_where_it_was_asked(
    shipped: AlpmHarbour, words: list[str], then: list[str]
) -> None:
    before = files_of(shipped)
    shipped.done("prefer", *words, "--yes")
    assert order(shipped) == then
    assert shipped.forecast("gull")["answers"][0]["source"] == then[0]
    told = "".join(text.decode() for text in files_of(shipped).values())
    for text in ("# a floating remark", "# the base", "# mine", "## nearer", "# belongs to extra"):
        assert told.count(text) == 1
    (rule,) = shipped.host().rules.in_force()
    assert rule.rule is not None
    assert words_of(rule.rule) == ["prefer", *words]
    shipped.done("prefer", *words, "--lift", "--yes")
    assert order(shipped) == ["base", "extra", "early", "late"]
    assert shipped.host().rules.in_force() == []
    for _ in range(2):
        shipped.done("undo", "--yes")
    assert files_of(shipped) == before


def test_rules_about_the_order_add_up_or_contradict(shipped: AlpmHarbour) -> None:
    shipped.done("prefer", "early", "--over", "base", "--yes")
    shipped.done("prefer", "late", "--over", "early", "--yes")
    assert order(shipped) == ["late", "early", "base", "extra"]
    code, _, told = shipped.run("prefer", "base", "--over", "late", "--yes")
    assert code == 1
    assert "contradicts an earlier rule: velpin prefer " in told
    shipped.done("prefer", "early", "--over", "base", "--lift", "--yes")
    assert order(shipped).index("late") < order(shipped).index("early")


def test_off_and_on_leave_every_byte(shipped: AlpmHarbour) -> None:
    before = files_of(shipped)
    for name in ("base", "extra", "early"):
        shipped.done("off", name, "--yes")
        assert name not in order(shipped)
        assert shipped.forecast(f"only-{name}")["ok"] is False
        assert [offer.state for offer in shipped.host().packages.offers([f"only-{name}"])] == [
            "source off"
        ]
        shipped.done("on", name, "--yes")
        assert files_of(shipped) == before
    shipped.done("on", "testing", "--yes")
    assert order(shipped) == ["testing", "base", "extra", "early", "late"]
    shipped.done("off", "testing", "--yes")
    assert files_of(shipped) == before


def test_a_dropped_section_takes_only_itself_along(shipped: AlpmHarbour) -> None:
    shipped.done("drop", "base", "--yes")
    assert order(shipped) == ["extra", "early", "late"]
    assert shipped.read() == SHIPPED.replace(
        "# the base\n[base]\nInclude = /etc/pacman.d/mirrors\n\n", ""
    )
    shipped.done("drop", "testing", "--yes")
    assert "testing" not in shipped.read()


LINES = st.lists(
    st.sampled_from(
        ["", "# remark", "#Server = file:///a", "##Server = file:///b", "Server = file:///c",
         "#Usage = Sync", "  Server = file:///d", "## SigLevel = Never", "SigLevel = Optional"]
    ), max_size=6,
)  # fmt: skip


@given(LINES, LINES, st.sampled_from(["\n", "\r\n"]))
def test_switching_twice_changes_nothing(
    tmp_path_factory: pytest.TempPathFactory, above: list[str], inside: list[str], end: str
) -> None:
    lines = [
        "[options]",
        *above,
        "",
        "[one]",
        "Server = file:///x",
        *inside,
        "",
        "[two]",
        "Server = y",
    ]
    text = end.join(lines) + end
    tree = Tree(tmp_path_factory.mktemp("switched"))
    tree = tree.with_edits({CONF: text.encode()})
    host = AlpmPorts(View(tree, open_cache(tree)))
    off = host.with_edits(host.editor.switched(host.configuration.by_handle["one"], False))
    assert [one.on for one in off.configuration.sources if one.handle == "one"] == [False]
    assert off.configuration.by_handle["one"].servers == host.configuration.by_handle["one"].servers
    on = off.with_edits(off.editor.switched(off.configuration.by_handle["one"], True))
    assert on.tree.read(CONF) == text.encode()


@given(LINES, LINES, st.permutations(["a", "b", "c"]))
def test_cutting_and_putting_keeps_every_line(
    tmp_path_factory: pytest.TempPathFactory, one: list[str], two: list[str], names: list[str]
) -> None:
    first, second, third = names
    text = [f"[{first}]", "Server = 1", *one, "", f"[{second}]", "Server = 2", *two, "",
            f"[{third}]", "Server = 3"]  # fmt: skip
    tree = Tree(tmp_path_factory.mktemp("moved"))
    body = Text(tree.with_edits({CONF: "\n".join(text).encode()}), CONF)
    said = sorted(line.strip() for line in body.lines if line.strip())
    taken = body.cut(body.block("c"))
    body.put_before(body.block("a"), taken)
    assert sorted(line.strip() for line in body.lines if line.strip()) == said
    heads = [one.name for one in body.blocks()]
    assert heads.index("c") + 1 == heads.index("a")


# -- rules on random hosts ----------------------------------------------------------------


def _wish(harbour: AlpmHarbour, pick: random.Random) -> Rule:
    handles = [source.handle for source in harbour.host().sources]
    one, other = pick.choice(handles), pick.choice(handles)
    names = [*harbour.host().packages.installed_names(), *NAMES]
    return pick.choice(
        [
            Prefer(one, (other,)), Prefer(one, under=(other,)),
            Prefer(one, over_all=True), Keep((pick.choice(names),)),
            Keep((pick.choice(("a*", "[b-f]", "*")),)), Bar(("*",), source=one),
            Confine(one, ("a*",)), Pin((pick.choice(names),), source=one),
            Bar((pick.choice(names),), source=one),
        ]
    )  # fmt: skip


def _shows(harbour: AlpmHarbour, rule: Rule) -> bool:
    """Whether single forecasts show what was asked for."""
    host = harbour.host()
    if rule.kind == "keep":
        changed = {one.name for one in host.forecast_upgrade().changes}
        here = set(host.packages.installed_names())
        from velpin.kinds.alpm.ignored import takes

        return not any(takes(glob, name) for glob in rule.names for name in changed & here)
    if rule.kind == "bar":
        return not any(
            one.package == name and one.source == rule.source
            for name in NAMES
            for one in host.forecast([name]).answers
            if one.outcome != "none"
        )
    rank = {one.handle: one.rank for one in host.sources}
    over = [one for one in rank if one != rule.source] if rule.over_all else list(rule.over)
    return all(rank[rule.source] < rank[one] for one in over if one != rule.source) and all(
        rank[rule.source] > rank[one] for one in rule.under
    )


@pytest.mark.slow
@pytest.mark.parametrize("seed", range(HOSTS))
def test_made_is_shown_and_undone_is_as_before(seed: int, tmp_path: Path) -> None:
    harbour = AlpmDrawn(seed + 500, tmp_path).harbour.refresh()
    pick = random.Random(seed)
    states = [files_of(harbour)]
    first = order(harbour)
    made = []
    for _ in range(8):
        rule = _wish(harbour, pick)
        code, out, told = harbour.run(*words_of(rule), "--yes")
        if code or out.startswith("✓ unchanged"):
            assert code in (0, 1, 2), told
            assert files_of(harbour) == states[-1]
            assert rule.kind != "pin" or "nearest" in told or "NAME%SOURCE" in told or code == 2
            continue
        assert _shows(harbour, rule), rule
        states.append(files_of(harbour))
        made.append(rule)
    for state in reversed(states[:-1]):
        harbour.done("undo", "--yes")
        assert files_of(harbour) == state
    if len(states) > 1:
        harbour.done("undo", "1", "--yes") if len(states) == 1 else None
    assert order(harbour) == first


@pytest.mark.parametrize("seed", range(HOSTS))
def test_lifted_rules_leave_the_host_as_it_was(seed: int, tmp_path: Path) -> None:
    harbour = AlpmDrawn(seed + 900, tmp_path).harbour.refresh()
    pick = random.Random(seed)
    first, before = order(harbour), files_of(harbour)
    for _ in range(6):
        harbour.run(*words_of(_wish(harbour, pick)), "--yes")
    rules = [rule.rule for rule in harbour.host().rules.in_force() if rule.rule]
    for rule in reversed(rules):
        harbour.run(*words_of(rule), "--lift", "--yes")
    assert not [rule for rule in harbour.host().rules.in_force() if rule.rule]
    left = files_of(harbour)[CONF].decode()
    assert "velpin" not in left
    assert sorted(left.split()) == sorted(before[CONF].decode().split())
    if sum(rule.kind == "prefer" for rule in rules) == 1:
        assert order(harbour) == first


def test_a_rule_whose_source_is_called_otherwise_now_is_told_as_dead(tmp_path: Path) -> None:
    harbour = AlpmHarbour(tmp_path)
    harbour.source("base", P("gull"))
    harbour.source("vendor", P("gull"))
    harbour.refresh().done("prefer", "vendor", "--over", "base", "--yes")
    harbour.put(CONF, harbour.read().replace("[vendor]", "[other]"))
    (rule,) = json.loads(harbour.done("rules", "--json"))["rules"]
    assert (rule["rule"], rule["dead"]["code"]) == (
        "velpin prefer vendor --over base", "rule-names-nobody",
    )  # fmt: skip
    harbour.done("rules", "drop", rule["place"], "--yes")
    assert json.loads(harbour.done("rules", "--json"))["rules"] == []
    assert order(harbour) == ["other", "base"]


def test_a_rule_of_others_is_dropped(tmp_path: Path) -> None:
    harbour = AlpmHarbour(tmp_path, "IgnorePkg = gull tern\nIgnoreGroup = birds\n")
    harbour.source(
        "base",
        P("gull", "2-1"),
        P("auk", "2-1", groups=("birds",)),
        settings="Usage = Sync Search\n",
    )
    harbour.installed(P("gull", "1-1"), P("auk", "1-1"))
    harbour.refresh()
    out = harbour.done("rules")
    for text in ("gull tern", "the packages of birds", "base is only used to sync search"):
        assert text in out
    for _ in range(3):
        harbour.done("rules", "drop", "1", "--yes")
    assert harbour.done("rules") == (
        "no rules: versions and the sources' own priorities decide everything\n"
    )
    assert harbour.changes("--upgrade") == {"gull": "2-1 base", "auk": "2-1 base"}


# -- adding --------------------------------------------------------------------------------


@pytest.fixture
def vendor(tmp_path: Path, signer: Signer) -> AlpmHarbour:
    """A host with a base; a vendor's signed repository, its key and its snippet beside it."""
    harbour = AlpmHarbour(tmp_path)
    harbour.source("base", P("gull", "1-1"), P("tern", "1-1"))
    harbour.installed(P("tern", "1-1"))
    made = write_alpm_repository(
        tmp_path / "vendor", "gullwatch", [P("gull", "2-1"), P("tool", "5-1")],
        sign=signer.detached_binary,
    )  # fmt: skip
    (tmp_path / "right.asc").write_bytes(signer.public)
    (tmp_path / "gullwatch.conf").write_text(
        f"# from the page\n[gullwatch]\nServer = file://{made}\n"
    )
    return harbour.refresh()


def test_a_snippet_with_its_key_and_a_place(vendor: AlpmHarbour, signer: Signer) -> None:
    before = files_of(vendor)
    words = ["add", str(vendor.folder / "gullwatch.conf"), "--key", str(vendor.folder / "right.asc"),
             "--fingerprint", signer.fingerprint, "--for", "gull"]  # fmt: skip
    vendor.done(*words, "--preview")
    assert files_of(vendor) == before
    out = vendor.done(*words, "--over", "base", "--yes")
    for text in (
        "signs the index of this source",
        "its fingerprint is the one you gave",
        "velpin undo 1",
    ):
        assert text in out
    assert order(vendor) == ["gullwatch", "base"]
    assert "SigLevel = Required TrustAll" in vendor.read()
    ring = read_keys((vendor.root / RING).read_bytes(), RING)
    assert [key.fingerprint for key in ring] == [signer.fingerprint]
    assert vendor.forecast("gull")["answers"][0]["source"] == "gullwatch"
    assert signer.fingerprint[-4:] in vendor.done("keys")
    assert vendor.done(*words, "--yes").startswith("✓ unchanged")
    vendor.done("undo", "--yes")
    assert files_of(vendor) == before


def test_without_a_place_it_wins_over_nothing(vendor: AlpmHarbour) -> None:
    vendor.done(
        "add",
        str(vendor.folder / "gullwatch.conf"),
        "--key",
        str(vendor.folder / "right.asc"),
        "--yes",
    )
    assert order(vendor) == ["base", "gullwatch"]
    assert vendor.changes("gull", "tool") == {"gull": "1-1 base", "tool": "5-1 gullwatch"}


NEAREST = [
    (["confine", "vendor", "tool"], "prefer vendor --under base"),
    (["pin", "gull@1-1"], "keep gull"),
    (["pin", "gull@2-1"], "prefer vendor --over base"),
    (["pin", "gull", "--from", "vendor"], "prefer vendor --over base"),
    (["pin", "gull@7"], ""),
    (["bar", "gull", "--from", "base"], "prefer vendor --over base"),
    (["bar", "gull", "--from", "vendor"], "prefer base --over vendor"),
    (["bar", "gull@2*"], "prefer base --over vendor"),
    (["bar", "gull@7"], "keep gull"),
    (["bar", "tool@5*"], ""),
    (["bar", "tool", "--from", "vendor"], "bar '*' --from vendor"),
]


@pytest.mark.parametrize(("words", "nearest"), NEAREST)
def test_the_nearest_that_works_is_named(tmp_path: Path, words: list[str], nearest: str) -> None:
    harbour = AlpmHarbour(tmp_path)
    harbour.source("base", P("gull", "1-1"))
    harbour.source("vendor", P("gull", "2-1"), P("tool", "5-1"))
    harbour.installed(P("gull", "1-1"))
    before = files_of(harbour.refresh())
    code, _, told = harbour.run(*words, "--yes", "--anyway")
    assert (code, files_of(harbour)) == (1, before)
    named = told.partition("(tried): velpin ")[2].strip()
    assert named == nearest
    if named:
        harbour.done(*shlex.split(named), "--yes")


def test_a_takeover_is_said_last_with_what_prevents_it(tmp_path: Path) -> None:
    harbour = AlpmHarbour(tmp_path)
    harbour.source("base", P("gull", "1-1"), P("tern", "1-1"))
    harbour.source("vendor", P("gull", "2-1"), P("tool", "1-1"))
    harbour.installed(P("gull", "1-1"), P("tern", "1-1"))
    harbour.refresh()
    prefer = ["prefer", "vendor", "--over", "base"]
    *_, verdict, then, _ = harbour.done(*prefer, "--preview").splitlines()
    assert verdict == "✕ vendor would take over gull, which you did not name"
    assert then == "  to prevent that: velpin keep gull"
    harbour.done(*then.partition("velpin ")[2].split(), "--yes")
    assert "take over" not in harbour.done(*prefer, "--yes")
    assert harbour.changes("--upgrade") == {}


def test_what_is_wanted_together_is_given_by_an_order(tmp_path: Path) -> None:
    harbour = AlpmHarbour(tmp_path)
    harbour.source("base", P("lib", "1-1"), P("other"))
    harbour.source("vendor", P("lib", "2-1"), P("tool", depends=("lib>=2",)))
    harbour.refresh()
    assert harbour.changes("lib", "tool") is None
    told = json.loads(harbour.done("want", "lib", "tool", "--json"))
    assert [way["commands"] for way in told["options"]] == [["velpin prefer vendor --over base"]]
    assert harbour.done("want", "tool", "lib") == (
        "✓ nothing to do: tool 1.0-1, lib 2-1 are what the host takes anyway\n"
        "\nrun next\n  pacman -Sy\n  pacman -S tool lib\n"
    )
    harbour.done("want", "lib", "tool", "--yes")
    assert harbour.changes("lib", "tool") == {"lib": "2-1 vendor", "tool": "1.0-1 vendor"}
    assert harbour.run("want", "other@9", "tool")[0] == 1


def test_a_key_that_does_not_sign_is_refused(vendor: AlpmHarbour, stranger: Signer) -> None:
    before = files_of(vendor)
    wrong = vendor.folder / "wrong.asc"
    wrong.write_bytes(stranger.public)
    code, _, told = vendor.run(
        "add", str(vendor.folder / "gullwatch.conf"), "--key", str(wrong), "--yes"
    )
    assert (code, files_of(vendor)) == (4, before)
    assert "--key" in told


def test_an_unsigned_list_with_signed_packages(vendor: AlpmHarbour) -> None:
    (vendor.folder / "vendor/gullwatch.db.sig").unlink()
    out = vendor.done(
        "add",
        str(vendor.folder / "gullwatch.conf"),
        "--key",
        str(vendor.folder / "right.asc"),
        "--yes",
    )
    assert "the index of gullwatch is not signed" in out
    assert "SigLevel = PackageRequired DatabaseOptional TrustAll" in vendor.read()


def test_a_changed_list_is_refused_and_the_last_good_one_stays(vendor: AlpmHarbour) -> None:
    vendor.done(
        "add",
        str(vendor.folder / "gullwatch.conf"),
        "--key",
        str(vendor.folder / "right.asc"),
        "--yes",
    )
    write_alpm_repository(vendor.folder / "vendor", "gullwatch", [P("gull", "6-6")])
    code, _, told = vendor.run("refresh", "gullwatch")
    assert code == 4
    assert "gullwatch" in told
    assert vendor.changes("gull%gullwatch") == {"gull": "2-1 gullwatch"}


@pytest.mark.parametrize(
    ("snippet", "code", "told"),
    [
        ("[options]\nIgnorePkg = x\n", 3, "settings of the whole host"),
        ("[a]\nFlavour = salty\n", 3, "means nothing in a source"),
        ("[a]\nUsage = All\n", 3, "no Server"),
        ("[a b]\nServer = file:///x\n", 2, "cannot be a name"),
        ("[base]\nServer = file:///elsewhere\n", 1, "the name of another source"),
        ("nothing\nhere\n", 2, "names no source"),
        ("[a]\nServer = file:///nowhere\n", 1, "nothing for this host"),
    ],
)
def test_snippets_that_cannot_be(vendor: AlpmHarbour, snippet: str, code: int, told: str) -> None:
    before = files_of(vendor)
    found, _, said = vendor.run("add", snippet, "--yes")
    assert (found, files_of(vendor)) == (code, before), said
    assert told in said


def test_a_key_for_a_source_that_is_there(vendor: AlpmHarbour, signer: Signer) -> None:
    made = vendor.folder / "vendor"
    vendor.put(CONF, f"{vendor.read()}\n[gullwatch]\nSigLevel = Required\nServer = file://{made}\n")
    code, _, told = vendor.run("refresh", "gullwatch")
    assert code == 4
    assert "velpin add gullwatch --key" in told
    vendor.done("add", "gullwatch", "--key", str(vendor.folder / "right.asc"), "--yes")
    assert "SigLevel = TrustAll" in vendor.read()
    vendor.done("refresh", "gullwatch")
    assert "Gullwatch" in vendor.done("sources")
