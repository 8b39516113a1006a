"""Module streams of rpm-dnf hosts: what is said of them, and the settings that show what they hide."""

from __future__ import annotations

import json
import tomllib
from pathlib import Path

import pytest

from tests.module_documents import default, stream
from tests.module_hosts import (
    DOCUMENTS,
    OWN_FILE,
    OWN_STATEMENTS,
    REFUSED_SETS,
    SETS,
    STATEMENTS,
    WAYS,
    document_host,
    module_host,
    stating_host,
)

GULL = "stream {} of module mgull is {}: what it has comes from it alone"


@pytest.mark.parametrize(
    ("states", "rows"),
    [
        ((), [(GULL.format(1, "the default"), 2), ("no stream of module mskua is active: its packages are not taken", 1)]),
        (("mgull=2",), [(GULL.format(2, "enabled"), 2), ("no stream of module mskua is active: its packages are not taken", 1)]),
        (("mgull=", "mskua=1"), [("module mgull is disabled: its packages are not taken", 2),
                                 ("stream 1 of module mskua is enabled: what it has comes from it alone", 0)]),
        (("mgull=1", "mskua="), [(GULL.format(1, "enabled"), 2), ("module mskua is disabled: its packages are not taken", 1)]),
    ],
)  # fmt: skip
def test_rules_lists_what_keeps_packages_out(
    tmp_path: Path, states: tuple[str, ...], rows: list[tuple[str, int]]
) -> None:
    told = json.loads(module_host(tmp_path, *states).run("rules", "--json").out)["rules"]
    assert [(rule["says"], rule["offers"]) for rule in told] == rows


@pytest.mark.parametrize(
    ("states", "kept_out"),
    [
        ((), {"3-1": "hidden by the active stream 1 of module mgull, which has a package of that name",
              "2-1": "it belongs to stream 2 of module mgull; 1 is active", "1-1": None}),
        (("mgull=2",), {"3-1": "hidden by the active stream 2 of module mgull, which has a package of that name",
                        "2-1": None, "1-1": "it belongs to stream 1 of module mgull; 2 is active"}),
        (("mgull=",), {"3-1": None, "2-1": "module mgull has no active stream",
                       "1-1": "module mgull has no active stream"}),
    ],
)  # fmt: skip
def test_offers_says_what_a_stream_keeps_out(
    tmp_path: Path, states: tuple[str, ...], kept_out: dict[str, str | None]
) -> None:
    harbour = module_host(tmp_path, *states)
    told = json.loads(harbour.run("offers", "gull", "--json").out)["offers"]
    found = {one["version"]: one["kept_out"] for one in told}
    assert found == kept_out
    shown = harbour.run("offers", "gull").out
    assert all(f"kept out: {text}" in shown for text in kept_out.values() if text)


@pytest.mark.parametrize(("states", "wanted", "commands"), WAYS)
def test_want_finds_the_setting(
    tmp_path: Path, states: tuple[str, ...], wanted: str, commands: list[str]
) -> None:
    harbour = module_host(tmp_path, *states)
    before = harbour.files()
    name = wanted.partition("@")[0].partition("%")[0]
    told = json.loads(harbour.run("want", wanted, "--json", "--preview").out)
    assert [" + ".join(option["commands"]) for option in told["options"]] == commands
    for number in range(1, len(commands) + 1):
        code, _, told = harbour.run("want", wanted, "--take", str(number))
        assert code == 0, told
        assert harbour.run("want", wanted, "--preview").out.startswith("✓ nothing to do")
        assert harbour.forecast(name)["ok"]
        assert harbour.run("undo", "--yes")[0] == 0
        assert harbour.files() == before


def test_what_is_written(tmp_path: Path) -> None:
    harbour = module_host(tmp_path, "mskua=1")
    assert harbour.run("want", "gull@2-1", "--take", "1")[0] == 0
    assert harbour.read("etc/dnf/modules.d/mgull.module") == (
        "[mgull]\nname=mgull\nstream=2\nprofiles=\nstate=enabled\n"
    )
    assert "module_hotfixes" not in harbour.read("etc/yum.repos.d/base.repo")
    assert harbour.run("want", "gull@1-1", "--take", "2")[0] == 0
    assert "module_hotfixes=1\n" in harbour.read("etc/yum.repos.d/base.repo")
    assert "stream=2\n" in harbour.read("etc/dnf/modules.d/mgull.module")


def test_profiles_that_are_recorded_stay(tmp_path: Path) -> None:
    harbour = module_host(tmp_path)
    harbour.put("etc/dnf/modules.d/mgull.module",
                "[mgull]\nname=mgull\nstream=1\nprofiles=common\nstate=enabled\n")  # fmt: skip
    assert harbour.run("want", "gull@2-1", "--take", "1")[0] == 0
    assert harbour.read("etc/dnf/modules.d/mgull.module") == (
        "[mgull]\nname=mgull\nstream=2\nprofiles=common\nstate=enabled\n"
    )


def test_the_newer_generation_keeps_them_in_a_file_of_its_own(tmp_path: Path) -> None:
    harbour = module_host(tmp_path)
    harbour.put("usr/bin/dnf5", "")
    harbour.put(OWN_FILE, 'version = "1.0"\n\n[modules]\n[modules.mskua]\nenabled_stream = "1"\n'
                'installed_profiles = ["common"]\nstate = "Enabled"\n')  # fmt: skip
    told = json.loads(harbour.run("want", "gull@2-1", "--json", "--preview").out)
    assert [option["commands"] for option in told["options"]] == [
        ["dnf module enable mgull:2"], ["dnf config-manager setopt base.module_hotfixes=1"],
    ]  # fmt: skip
    assert harbour.run("want", "gull@2-1", "--take", "1")[0] == 0
    assert tomllib.loads(harbour.read(OWN_FILE)) == {
        "version": "1.0",
        "modules": {
            "mskua": {"enabled_stream": "1", "installed_profiles": ["common"], "state": "Enabled"},
            "mgull": {"enabled_stream": "2", "installed_profiles": [], "state": "Enabled"},
        },
    }
    rules = json.loads(harbour.run("rules", "--json").out)["rules"]
    assert [rule["place"].partition(":")[0] for rule in rules] == [OWN_FILE, OWN_FILE]
    number = next(n for n, rule in enumerate(rules, 1) if "mgull" in rule["says"])
    assert harbour.run("rules", "drop", str(number), "--yes")[0] == 0
    assert tomllib.loads(harbour.read(OWN_FILE))["modules"]["mgull"] == {
        "enabled_stream": "", "installed_profiles": [], "state": "Available",
    }  # fmt: skip


def test_a_statement_is_dropped_and_a_default_is_not(tmp_path: Path) -> None:
    harbour = module_host(tmp_path, "mgull=2")
    code, _, told = harbour.run("rules", "drop", "1", "--yes")
    assert code == 0, told
    assert harbour.read("etc/dnf/modules.d/mgull.module") == (
        "[mgull]\nname=mgull\nstream=\nprofiles=\nstate=\n"
    )
    assert harbour.forecast("gull")["answers"][0]["version"] == "1-1"
    code, _, told = harbour.run("rules", "drop", "1", "--yes")
    assert (code, "no file of this host says that" in told) == (1, True)


@pytest.mark.parametrize("wanted", ["gull@2-1", "gull@3-1", "skua"])
def test_a_refusal_points_to_want(tmp_path: Path, wanted: str) -> None:
    found = module_host(tmp_path).forecast(wanted)
    assert [each["command"] for each in found["remedies"]] == [f"velpin want {wanted}"]


# -- modules as requests ---------------------------------------------------------------------


@pytest.mark.parametrize(("states", "asked", "comes", "besides"), SETS)
def test_a_module_is_a_request(
    tmp_path: Path, states: tuple[str, ...], asked: str, comes: dict[str, str], besides: str
) -> None:
    harbour = module_host(tmp_path, *states)
    before = harbour.files()
    found = harbour.forecast(*asked.split())
    assert {change["name"]: change["new"] for change in found["changes"]} == comes
    brings = [note for note in found["notes"] if note["code"] == "set-brings"]
    assert brings[0]["besides"] == besides
    assert found["next"][-1] == f"dnf install {asked}"
    assert harbour.files() == before


@pytest.mark.parametrize(("states", "asked", "says", "hint"), REFUSED_SETS)
def test_a_module_that_the_installer_does_not_take(
    tmp_path: Path, states: tuple[str, ...], asked: str, says: str, hint: str
) -> None:
    code, _, told = module_host(tmp_path, *states).run("forecast", asked)
    assert code == 1
    assert told.startswith(f"velpin: {says}")
    assert hint in told


def test_settings_may_let_a_stream_be_switched(tmp_path: Path) -> None:
    harbour = module_host(tmp_path, "mgull=1")
    harbour.put("etc/dnf/dnf.conf", "[main]\nmodule_stream_switch=1\n")
    found = harbour.forecast("@mgull:2")
    assert {change["name"]: change["new"] for change in found["changes"]} == {"gull": "2-1"}


def test_the_newer_generation_takes_none(tmp_path: Path) -> None:
    harbour = module_host(tmp_path)
    code, _, told = harbour.run("forecast", "@mgull:2", "--generation", "newer")
    assert (code, "dnf module enable MODULE:STREAM" in told) == (1, True)


# -- what counts -----------------------------------------------------------------------------


@pytest.mark.parametrize(("what", "document", "older", "newer"), DOCUMENTS)
def test_which_documents_count(
    tmp_path: Path, what: str, document: str, older: str, newer: str
) -> None:
    harbour = document_host(tmp_path, document)
    for generation, comes in (("older", older), ("newer", newer)):
        found = harbour.forecast("gull", "--generation", generation)
        assert found["answers"][0]["version"] == comes, what


@pytest.mark.parametrize(("statement", "older", "newer"), STATEMENTS)
def test_which_statements_count(tmp_path: Path, statement: str, older: str, newer: str) -> None:
    harbour = stating_host(tmp_path, statement)
    for generation, comes in (("older", older), ("newer", newer)):
        found = harbour.forecast("gull", "--generation", generation)
        assert found["answers"][0]["version"] == comes


@pytest.mark.parametrize(("statement", "comes"), OWN_STATEMENTS)
def test_which_statements_of_the_own_file_count(
    tmp_path: Path, statement: str, comes: str | None
) -> None:
    found = stating_host(tmp_path, statement, OWN_FILE).forecast("gull", "--generation", "newer")
    assert found["ok"] == (comes is not None)
    assert comes is None or found["answers"][0]["version"] == comes


@pytest.mark.parametrize("module", ["../../../etc/cron.d/m", "m$(id)", "m; id", "-m", "m m", "'m'"])
def test_a_name_that_is_no_name_is_neither_written_nor_typed(tmp_path: Path, module: str) -> None:
    said = stream("mgull", 1) + stream("mgull", 2) + default("mgull", 1)
    document = said.replace("name: mgull", f'name: "{module}"').replace(
        "module: mgull", f'module: "{module}"'
    )
    harbour = document_host(tmp_path, document)
    told = json.loads(harbour.run("want", "gull@2-1", "--json", "--preview").out or "{}")
    commands = [option["commands"] for option in told.get("options", [])]
    assert module not in json.dumps(commands)
    assert harbour.run("forecast", f"@{module}:2")[0] == 1


def test_a_source_that_has_to_be_quoted_is(tmp_path: Path) -> None:
    harbour = module_host(tmp_path)
    text = harbour.read("etc/yum.repos.d/vendor.repo").replace("[vendor]", "[ven$dor]")
    harbour.put("etc/yum.repos.d/vendor.repo", text)
    harbour.refresh()
    told = json.loads(harbour.run("want", "gull@3-1", "--json", "--preview").out)
    assert told["options"][-1]["commands"] == [
        "dnf config-manager --save --setopt='ven$dor.module_hotfixes=1'"
    ]


def test_a_statement_is_changed_where_it_stands(tmp_path: Path) -> None:
    harbour = module_host(tmp_path)
    harbour.put("etc/dnf/modules.d/aa.module",
                "[mgull]\nname=mgull\nstream=1\nprofiles=\nstate=enabled\n")  # fmt: skip
    assert harbour.run("want", "gull@2-1", "--take", "1")[0] == 0
    assert "stream=2\n" in harbour.read("etc/dnf/modules.d/aa.module")
    assert not (harbour.root / "etc/dnf/modules.d/mgull.module").exists()


def test_a_file_whose_modules_are_no_table_gets_one(tmp_path: Path) -> None:
    harbour = module_host(tmp_path)
    harbour.put("usr/bin/dnf5", "")
    harbour.put(OWN_FILE, 'version = "1.0"\nmodules = "none"\n')
    assert harbour.run("want", "gull@2-1", "--take", "1")[0] == 0
    assert tomllib.loads(harbour.read(OWN_FILE)) == {
        "version": "1.0",
        "modules": {"mgull": {"installed_profiles": [], "enabled_stream": "2", "state": "Enabled"}},
    }
