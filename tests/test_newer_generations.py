"""Hosts of the newer generation of installers: how they are known, what they do otherwise."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.deb_newer_statements import NEWER, STATEMENTS
from tests.deb_statements import built, comes
from tests.harbours import DNF, ZYPP, DebHarbour, RpmHarbour
from tests.statements import Case, cases, rpm_host
from velpin.demo.rpm_files import DemoRpm as P
from velpin.errors import HostFileError, UsageError
from velpin.files.tree import Tree
from velpin.kinds.rpm.pattern import Named
from velpin.kinds.rpm_dnf.modules import read_states
from velpin.kinds.rpm_dnf.own_locks import FILE, lock_text, read_own_locks
from velpin.kinds.rpm_dnf.vendors import read_vendor_changes

LOCKS, VENDORS = "etc/dnf/versionlock.toml", "etc/dnf/vendors.d/1.conf"


def lock(name: str, *conditions: str) -> dict[str, str]:
    """The file of version locks with one entry; conditions as `KEY COMPARATOR VALUE`."""
    text = f'version = "1.0"\n[[packages]]\nname = "{name}"\n'
    for condition in conditions:
        key, comparator, value = condition.split()
        text += f'[[packages.conditions]]\nkey = "{key}"\ncomparator = "{comparator}"\n'
        text += f'value = "{value}"\n'
    return {LOCKS: text}


def vendors(version: str, **lists: str) -> dict[str, str]:
    """A file of vendors: entries parted by `;`, each `VENDOR [COMPARATOR] [exclude]`."""
    text = f'version = "{version}"\n'
    for key, entries in lists.items():
        for entry in entries.split(";"):
            name, *more = entry.split()
            text += f'[[{key}_vendors]]\nvendor = "{name}"\n'
            text += "".join(
                "exclude = true\n" if word == "exclude" else f'comparator = "{word}"\n'
                for word in more
            )
    return {VENDORS: text}


# -- which generation a host has -----------------------------------------------------------


@pytest.mark.parametrize(
    ("here", "expected"),
    [
        ("", ("older", "assumed")),
        ("apt 2.6.1", ("older", "record")),
        ("apt 3.1.9", ("older", "record")),
        ("apt 3.1.10", ("newer", "record")),
        ("apt 3.3 [Status=deinstall ok config-files]", ("older", "assumed")),
    ],
)
def test_a_deb_host_by_its_record(
    harbour: DebHarbour, here: str, expected: tuple[str, str]
) -> None:
    found = built(harbour, "a 1", here).host().installer
    assert (found.generation, found.known_by) == expected


DNF5, LIBZYPP = P("dnf5", "5.4-1"), P("libzypp", "17.38.1-1")


@pytest.mark.parametrize(
    ("kind", "here", "files", "expected"),
    [
        (DNF, (), (), ("older", "assumed")),
        (DNF, (P("dnf", "4.14-1"),), (), ("older", "record")),
        (DNF, (DNF5,), (), ("newer", "record")),
        (DNF, (P("libdnf5", "5.2-1"),), (), ("newer", "record")),
        (DNF, (), ("usr/bin/dnf5",), ("newer", "files")),
        (DNF, (DNF5, P("dnf", "4.14-1")), (), ("newer", "record")),
        (ZYPP, (), (), ("older", "assumed")),
        (ZYPP, (P("libzypp", "17.31.2-1"),), (), ("older", "record")),
        (ZYPP, (LIBZYPP,), (), ("newer", "record")),
        (ZYPP, (P("libzypp", "17.31.2-1"),), ("etc/zypp/zypp.conf.README",), ("newer", "files")),
    ],
)
def test_an_rpm_host_by_its_record_or_files(
    tmp_path: Path,
    kind: str,
    here: tuple[P, ...],
    files: tuple[str, ...],
    expected: tuple[str, str],
) -> None:
    harbour = RpmHarbour(tmp_path, kind)
    harbour.installed(*here)
    for name in files:
        harbour.put(name, "")
    told = json.loads(harbour.run("host", "--json")[1])["installer"]
    assert (told["generation"], told["known_by"]) == expected


def test_of_two_installers_the_one_that_the_command_leads_to(tmp_path: Path) -> None:
    harbour = RpmHarbour(tmp_path)
    harbour.installed(DNF5, P("python3-dnf", "4.14-1"))
    harbour.put("usr/bin/dnf-3", "")
    (harbour.root / "usr/bin/dnf").symlink_to("dnf-3")
    assert "older" in harbour.run("host")[1]
    (harbour.root / "usr/bin/dnf").unlink()
    (harbour.root / "usr/bin/dnf").symlink_to("dnf5")
    assert "newer" in harbour.run("host")[1]


def test_the_setting_counts_where_the_host_does_not_tell(harbour: DebHarbour) -> None:
    harbour.put("etc/velpin/velpin.toml", '[forecast]\ngeneration = "newer"\n')
    assert built(harbour, "a 1").host().installer[2:] == ("newer", "setting")
    assert "as Velpin's settings say" in harbour.run("host").out
    assert built(harbour, "a 1", "apt 2.6").host().installer[2:] == ("older", "record")


@pytest.mark.parametrize(
    ("text", "what"),
    [
        ('[forecast]\ngeneration = "new"\n', "is not older or newer"),
        ('[forecast]\nage = "new"\n', "has no 'age'"),
        ("forecast = 1\n", "is not a table"),
    ],
)
def test_a_setting_that_is_not_understood(harbour: DebHarbour, text: str, what: str) -> None:
    harbour.put("etc/velpin/velpin.toml", text)
    with pytest.raises(HostFileError, match=what):
        _ = built(harbour, "a 1").host().installer


# -- asking for the other ------------------------------------------------------------------

DIFFERENT = ("x 1 [Depends=v]; aa 1 [Provides=v]; zz 1 [Provides=v]; r 1", "")


def test_what_is_asked_for_goes_before_the_record(harbour: DebHarbour) -> None:
    host = built(harbour, DIFFERENT[0], "apt 2.6").host()
    assert [change.name for change in host.forecast(["x"]).changes] == ["x", "zz"]
    other = host.with_generation("newer")
    assert [change.name for change in other.forecast(["x"]).changes] == ["aa", "x"]
    assert (other.installer.known_by, other.forecast(["x"]).host.generation) == ("option", "newer")
    assert other.with_edits({}).installer.generation == "newer"


def test_both_side_by_side(harbour: DebHarbour) -> None:
    built(harbour, DIFFERENT[0], "apt 2.6")
    said = harbour.run("forecast", "x", "--compare-generations").out
    assert "older (this host): 2 packages change\nnewer: 2 packages change\n" in said
    assert "aa       does not come  1 from jetty" in said
    assert "both do the same" in harbour.run("forecast", "r", "--compare-generations").out
    told = json.loads(harbour.run("forecast", "x", "--compare-generations", "--json").out)
    assert told["here"] == "older"
    assert [one["name"] for one in told["differences"]] == ["aa", "zz"]


def test_one_that_refuses_is_told(harbour: DebHarbour) -> None:
    built(harbour, "e 1 [Essential=yes] [Depends=gone]; a 2", "apt 2.6; a 1")
    said = harbour.run("forecast", "--upgrade", "--compare-generations").out
    assert "older (this host): 1 package change" in said
    assert "newer: refused: its dependencies cannot all be met" in said


def test_generations_that_are_none(harbour: DebHarbour) -> None:
    built(harbour, "a 1")
    assert harbour.run("forecast", "a", "--generation", "oldest").code == 2
    with pytest.raises(UsageError):
        harbour.host().with_generation("oldest")  # type: ignore[arg-type]


def test_hosts_whose_generations_decide_alike(harbour: DebHarbour, tmp_path: Path) -> None:
    alpm = DebHarbour(tmp_path / "alpm")
    (alpm.root / "var/lib/dpkg/status").unlink()
    (alpm.root / "var/lib/dpkg/arch").unlink()
    alpm.put("etc/pacman.conf", "[options]\nArchitecture = x86_64\n")
    told = alpm.run("forecast", "a", "--generation", "newer")
    assert (told.code, "decide alike" in told.err) == (2, True)


# -- deb -----------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("offered", "here", "asked", "expected", "files"),
    [
        pytest.param(offered, here, asked, expected, files, id=f"{what} - {asked}")
        for what, offered, here, answers, files in STATEMENTS
        for asked, expected in answers.items()
    ],
)
def test_deb_statement(
    harbour: DebHarbour, offered: str, here: str, asked: str, expected: str | None,
    files: dict[str, str],
) -> None:  # fmt: skip
    assert comes(built(harbour, offered, NEWER + here, files), asked) == expected


@pytest.mark.parametrize(
    ("option", "expected"),
    [("include=a", ("a=1", None)), ("exclude=b", ("a=1", None)), ("include=*", (None, None))],
)
def test_sources_of_which_some_names_count(
    harbour: DebHarbour, option: str, expected: tuple[str | None, str | None]
) -> None:
    built(harbour, "a 1; b 1", NEWER)
    file = next((harbour.root / "etc/apt/sources.list.d").iterdir())
    file.write_text(file.read_text().replace("trusted=yes", f"trusted=yes {option}"))
    assert (comes(harbour, "a"), comes(harbour, "b")) == expected
    older = harbour.host().with_generation("older")
    assert older.forecast(["b"]).ok


@pytest.mark.parametrize("option", ["include=a exclude=b", "snapshot=20260101T000000Z"])
def test_options_that_stop_everything(harbour: DebHarbour, option: str) -> None:
    built(harbour, "a 1", NEWER)
    file = next((harbour.root / "etc/apt/sources.list.d").iterdir())
    file.write_text(file.read_text().replace("trusted=yes", f"trusted=yes {option}"))
    assert harbour.run("forecast", "a").code == 3
    assert harbour.host().with_generation("older").forecast(["a"]).ok


def test_the_reasons_of_a_search_are_told(harbour: DebHarbour) -> None:
    built(harbour, "x 1 [Depends=y] [Conflicts=m]; y 1 [Recommends=r]; r 1; m 1", NEWER + "m 1")
    roles = {one.name: (one.role, one.by) for one in harbour.host().forecast(["x"]).changes}
    assert roles == {
        "x": ("asked", None), "y": ("requires", "x"), "r": ("recommends", "y"),
        "m": ("conflicts", "x"),
    }  # fmt: skip


@pytest.mark.parametrize("pin", ["version *", "release *"])
def test_an_installed_package_that_may_not_be_taken_stays(harbour: DebHarbour, pin: str) -> None:
    harbour.put("etc/apt/preferences", f"Package: gull\nPin: {pin}\nPin-Priority: -1\n")
    built(harbour, "gull 1; x 1 [Depends=a | b]; a 1; b 1", NEWER + "gull 1")
    assert {change.name for change in harbour.host().forecast(["x"]).changes} == {"a", "x"}
    assert harbour.host().forecast_upgrade().changes == ()


def test_what_an_upgrade_holds_back_is_told(harbour: DebHarbour) -> None:
    built(harbour, "a 2 [Conflicts=m]; m 1", NEWER + "a 1; m 1")
    (held,) = harbour.host().forecast_upgrade().held_back
    assert (held.name, held.why[0].code) == ("a", "excludes")


def test_a_refusal_names_the_cause(harbour: DebHarbour) -> None:
    built(harbour, "x 1 [Depends=y]; y 1 [Depends=gone]", NEWER)
    said = harbour.run("forecast", "x").out
    assert "x 1 needs y" in said
    assert "y 1 needs gone" in said


def test_a_search_that_gives_up_says_so(
    harbour: DebHarbour, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("velpin.kinds.deb.engine.search._MOST", 0)
    built(harbour, "x 1 [Depends=a | b]; a 1 [Depends=gone]; b 1", NEWER)
    assert "no answer was found within the limits" in harbour.run("forecast", "x").out


# -- rpm -----------------------------------------------------------------------------------


@pytest.mark.parametrize("case", cases("rpm-newer"), ids=lambda case: case.what)
def test_rpm_statement(tmp_path: Path, case: Case) -> None:
    found = asked_of_newer(rpm_host(tmp_path, case.kinds[0], case), *case.asked)
    changes = {
        f"{one['name']}.{one['arch']}": f"{one['new']} {one['source']}" if one["new"] else "gone"
        for one in found["changes"]
    }
    assert (changes if found["ok"] else None) == case.comes


def asked_of_newer(harbour: RpmHarbour, *words: str) -> dict[str, Any]:
    _, out, _ = harbour.run("forecast", "--json", "--generation", "newer", *words)
    found: dict[str, Any] = json.loads(out)
    return found


def test_the_upgrade_across_vendors(tmp_path: Path) -> None:
    harbour = RpmHarbour(tmp_path, ZYPP)
    harbour.source("one", P("a", "0.5-1", vendor="Y"), P("b", "2-1", vendor="X"))
    harbour.installed(P("a", "1-1", vendor="Y"), LIBZYPP)
    harbour.refresh()
    assert harbour.changes("--upgrade", "--realign") == {"a.x86_64": "0.5-1 one"}
    harbour.installed(P("a", "1-1", vendor="Y"), P("b", "1-1", vendor="Y"), LIBZYPP)
    assert not harbour.forecast("--upgrade", "--realign")["ok"]
    harbour.put("etc/zypp/zypp.conf", "[main]\nsolver.dupAllowVendorChange = true\n")
    assert harbour.forecast("--upgrade", "--realign")["ok"]


@pytest.mark.parametrize(
    ("library", "tool", "expected"),
    [("true", "", 1), ("true", "yes", 2), ("false", "no", 1), ("false", "", 2)],
)
def test_the_tool_goes_before_the_library(
    tmp_path: Path, library: str, tool: str, expected: int
) -> None:
    harbour = RpmHarbour(tmp_path, ZYPP)
    harbour.source("one", P("a", recommends=("r",)), P("r"))
    harbour.installed(LIBZYPP)
    harbour.put("etc/zypp/zypp.conf", f"[main]\nsolver.onlyRequires = {library}\n")
    said = f"installRecommends = {tool}\n" if tool else ""
    harbour.put("etc/zypp/zypper.conf", f"[solver]\n{said}")
    assert len(harbour.refresh().changes("a") or ()) == expected


def test_locks_may_lie_elsewhere_or_be_switched_off(tmp_path: Path) -> None:
    harbour = RpmHarbour(tmp_path, ZYPP)
    harbour.source("one", P("a", "2-1"))
    harbour.installed(P("a", "1-1"), LIBZYPP)
    harbour.refresh()
    text = "type: package\nmatch_type: glob\nsolvable_name: a\n"
    harbour.put("etc/other", text)
    assert harbour.changes("--upgrade") == {"a.x86_64": "2-1 one"}
    harbour.put("etc/zypp/zypp.conf", "[main]\nlocksfile.path = /etc/other\n")
    assert harbour.changes("--upgrade") == {}
    harbour.put(
        "etc/zypp/zypp.conf", "[main]\nlocksfile.path = /etc/other\nlocksfile.apply = false\n"
    )
    assert harbour.changes("--upgrade") == {"a.x86_64": "2-1 one"}


@pytest.mark.parametrize(
    ("file", "text"),
    [
        (LOCKS, "no toml"), ("etc/dnf/vendors.d/1.conf", "no toml"),
        ("etc/yum.repos.d/x.repo", "[a b]\nbaseurl=file:///x\n"),
        ("etc/yum.repos.d/x.repo", "[a]\nenabled=1\n"),
        ("etc/yum.repos.d/x.repo", "[a]\nbaseurl: file:///x\n"),
    ],
)  # fmt: skip
def test_files_that_stop_everything(tmp_path: Path, file: str, text: str) -> None:
    harbour = RpmHarbour(tmp_path)
    harbour.source("one", P("a"))
    harbour.installed(DNF5)
    harbour.refresh()
    harbour.put(file, text)
    code, out, _ = harbour.run("forecast", "a")
    assert (code, f"/{file}" in out or file in out) == (3, True)


def test_a_module_whose_needs_are_not_met_stops_everything(tmp_path: Path) -> None:
    modules = (
        "document: modulemd\nversion: 2\ndata:\n  name: m\n  stream: '1'\n  arch: x86_64\n"
        "  summary: s\n  description: d\n  license: {module: [MIT]}\n  dependencies:\n  - requires: {other: ['2']}\n"
    )
    harbour = RpmHarbour(tmp_path)
    harbour.source("one", P("a"), modules=modules)
    harbour.installed(DNF5)
    harbour.refresh()
    state = 'version = "1.0"\n[modules.m]\nenabled_stream = "1"\ninstalled_profiles = []\nstate = "Enabled"\n'
    assert harbour.forecast("a")["ok"]
    harbour.put("usr/lib/sysimage/libdnf5/modules.toml", state)
    assert harbour.forecast("a")["problem"].startswith("stream 1 of module m is enabled")


def test_states_of_modules_in_either_place(tmp_path: Path) -> None:
    harbour = RpmHarbour(tmp_path)
    harbour.put("etc/dnf/modules.d/m.module", "[m]\nstate=disabled\nprofiles=\nstream=\n")
    tree = Tree(harbour.root)
    assert read_states(tree, own_file=True) == {"m": ("disabled", "")}
    harbour.put("usr/lib/sysimage/libdnf5/modules.toml", '[modules.n]\nenabled_stream = ""\n'
                'installed_profiles = []\nstate = "Enabled"\n')  # fmt: skip
    assert read_states(tree, own_file=True) == {"n": ("enabled", "")}
    assert read_states(tree) == {"m": ("disabled", "")}


# -- rules as this generation reads them ---------------------------------------------------


def newer_dnf(tmp_path: Path) -> RpmHarbour:
    harbour = RpmHarbour(tmp_path)
    harbour.source("one", P("a", "1-1"), P("a", "2-1"), P("a", "2-3"), P("a", "3-1"))
    harbour.installed(DNF5)
    return harbour.refresh()


def test_a_pin_is_an_entry_of_the_locks(tmp_path: Path) -> None:
    harbour = newer_dnf(tmp_path)
    assert harbour.run("pin", "a@2-1", "--yes")[0] == 0
    assert harbour.read(LOCKS) == (
        'version = "1.0"\n\n# velpin pin a@2-1\n[[packages]]\nname = "a"\n'
        '[[packages.conditions]]\nkey = "evr"\ncomparator = "="\nvalue = "0:2-1"\n'
    )
    assert harbour.changes("a") == {"a.x86_64": "2-1 one"}
    assert "2-1" in harbour.run("rules")[1]
    assert harbour.run("undo", "--yes")[0] == 0
    assert harbour.changes("a") == {"a.x86_64": "3-1 one"}


def test_a_version_in_any_release_is_a_list_of_excludes(tmp_path: Path) -> None:
    harbour = newer_dnf(tmp_path)
    assert harbour.run("pin", "a@2", "--yes")[0] == 0
    assert not (harbour.root / LOCKS).exists()
    assert harbour.changes("a") == {"a.x86_64": "2-3 one"}


def test_entries_of_others_are_kept(tmp_path: Path) -> None:
    harbour = newer_dnf(tmp_path)
    text = lock("gull", "evr < 9")[LOCKS]
    harbour.put(LOCKS, text)
    assert harbour.run("pin", "a@1-1", "--yes")[0] == 0
    assert harbour.read(LOCKS).startswith(text)
    assert harbour.run("pin", "a@1-1", "--lift", "--yes")[0] == 0
    assert harbour.read(LOCKS).rstrip() == text.rstrip()


def test_keep_is_a_lock_on_what_is_installed(tmp_path: Path) -> None:
    harbour = newer_dnf(tmp_path)
    harbour.installed(DNF5, P("a", "1-1"))
    assert harbour.run("keep", "a", "--yes")[0] == 0
    assert 'value = "0:1-1"' in harbour.read(LOCKS)
    assert harbour.changes("--upgrade") == {}


OVERRIDES = "etc/dnf/repos.override.d/1.repo"
ALL_FIFTY = "[*]\npriority=50\nenabled=1\n"


@pytest.mark.parametrize(
    ("words", "written"),
    [
        (
            ("prefer", "one", "--over", "two"),
            "[one]\n# velpin prefer one --over two\n# before velpin: none\npriority=49\n",
        ),
        (("off", "two"), "[two]\nenabled=0\n"),
    ],
)
def test_what_an_override_says_is_changed_there(
    tmp_path: Path, words: tuple[str, ...], written: str
) -> None:
    harbour = RpmHarbour(tmp_path)
    harbour.source("one", P("a", "1-1"))
    harbour.source("two", P("a", "2-1"))
    harbour.installed(DNF5)
    harbour.refresh()
    harbour.put(OVERRIDES, ALL_FIFTY)
    before = harbour.read("etc/yum.repos.d/two.repo")
    assert harbour.run(*words, "--yes")[0] == 0
    assert harbour.read(OVERRIDES) == ALL_FIFTY + written
    assert harbour.read("etc/yum.repos.d/two.repo") == before
    assert harbour.changes("a") == {"a.x86_64": "1-1 one"}
    assert harbour.run("undo", "--yes")[0] == 0
    assert harbour.read(OVERRIDES) == ALL_FIFTY
    assert f"{OVERRIDES}:2" in harbour.run("rules")[1]


# -- the readers ---------------------------------------------------------------------------


def test_what_is_written_is_what_is_read(tmp_path: Path) -> None:
    harbour = RpmHarbour(tmp_path)
    harbour.put(FILE, 'version = "1.0"\n\n' + lock_text("a", "1:2-1", "x86_64") + "\n")
    (found,) = read_own_locks(Tree(harbour.root))
    assert (found.pattern, found.place.line) == ("a", 3)
    assert found.allows(Named("a", "x86_64", "1:2-1"))
    assert not found.allows(Named("a", "i686", "1:2-1"))
    assert not found.allows(Named("a", "x86_64", "2-1"))


@settings(max_examples=200)
@given(st.text(max_size=200))
def test_no_file_of_locks_or_vendors_breaks_the_reader(text: str) -> None:
    tree = Tree(Path("/")).with_edits(
        {FILE: text.encode(), "etc/dnf/vendors.d/1.conf": text.encode()}
    )
    for read in (read_own_locks, read_vendor_changes):
        try:
            read(tree)
        except HostFileError as problem:
            assert problem.file


@pytest.mark.parametrize(
    ("entry", "vendor", "expected"),
    [
        ("Gull EXACT", "Gull", True), ("Gull EXACT", "gull", False), ("gull IEXACT", "GULL", True),
        ("Gu* GLOB", "Gull", True), ("ul CONTAINS", "Gull", True), ("Gu STARTSWITH", "Gull", True),
        ("ll ENDSWITH", "Gull", True), ("G.l+ REGEX", "Gull", True), ("( REGEX", "Gull", False),
        ("Gull NOT_EXACT", "Gull", False), ("Gull NOT_EXACT", "Tern", True),
        ("Gull SOMEHOW", "Gull", False),
    ],
)  # fmt: skip
def test_how_vendors_are_compared(tmp_path: Path, entry: str, vendor: str, expected: bool) -> None:
    harbour = RpmHarbour(tmp_path)
    for name, text in vendors("1.1", incoming=entry).items():
        harbour.put(name, text)
    (change,) = read_vendor_changes(Tree(harbour.root))
    assert change.allows("Auk", vendor) == expected
