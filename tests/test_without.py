"""`velpin forecast NAME --without OTHER`: a removal in a request, on every kind of host."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests import package_files
from tests.harbours import ALPM, DEB, DNF, ZYPP, Item
from tests.several_removals import ROWS as SEVERAL
from tests.several_removals import Several
from tests.without_cases import LAMP, ROWS, Row

KINDS = (DEB, DNF, ZYPP, ALPM)
NEXT = {
    DEB: ["apt-get install gull lamp-"],
    DNF: ["dnf swap lamp gull"],
    ZYPP: ["zypper install gull '!lamp'"],
    ALPM: ["pacman -R lamp", "pacman -S gull"],
}


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("row", ROWS, ids=lambda row: row.title)
def test_what_comes_of_it(kind: str, row: Row, tmp_path: Path) -> None:
    harbour = row.harbour(kind, tmp_path)
    found = harbour.forecast("gull", "--without", "lamp")
    changes = {each["name"]: (each["new"] or "").removesuffix("-1") for each in found["changes"]}
    assert (changes if found["ok"] else None) == row.wanted(kind), found["because"]


@pytest.mark.parametrize("kind", [DEB, DNF, ZYPP])
@pytest.mark.parametrize("row", ROWS, ids=lambda row: row.title)
def test_what_comes_of_it_in_the_newer_generation(kind: str, row: Row, tmp_path: Path) -> None:
    harbour = row.harbour(kind, tmp_path)
    found = harbour.forecast("gull", "--without", "lamp", "--generation", "newer")
    changes = {each["name"]: (each["new"] or "").removesuffix("-1") for each in found["changes"]}
    assert (changes if found["ok"] else None) == row.wanted(kind, newer=True), found["because"]


@pytest.mark.parametrize("kind", KINDS)
def test_what_to_type(kind: str, tmp_path: Path) -> None:
    harbour = ROWS[0].harbour(kind, tmp_path)
    assert harbour.forecast("gull", "--without", "lamp")["next"][-len(NEXT[kind]) :] == NEXT[kind]
    (gull, lamp) = harbour.forecast("gull", "--without", "lamp")["answers"]
    assert (gull["outcome"], lamp["outcome"], lamp["asked"]) == ("install", "remove", "lamp")


@pytest.mark.parametrize("kind", KINDS)
def test_a_refusal_names_what_stands_in_the_way(kind: str, tmp_path: Path) -> None:
    row = Row(
        "", (Item("gull", "1", needs="tide"), Item("tide", "1", against="lamp")),
        (LAMP, Item("dep", "1", needs="lamp")), None,
    )  # fmt: skip
    harbour = row.harbour(kind, tmp_path)
    found = harbour.forecast("gull", "--without", "dep")
    commands = [remedy["command"] for remedy in found["remedies"]]
    if not found["ok"]:
        assert "velpin forecast gull --without dep --without lamp" in commands


@pytest.mark.parametrize("kind", KINDS)
def test_what_goes_is_known(kind: str, tmp_path: Path) -> None:
    harbour = ROWS[0].harbour(kind, tmp_path)
    found = harbour.forecast("gull", "--without", "lammp")
    assert not found["ok"]
    assert found["answers"][-1]["problem"]["code"] == "unknown"


def test_without_goes_with_requests(tmp_path: Path) -> None:
    harbour = ROWS[0].harbour(DEB, tmp_path)
    assert harbour.run("forecast", "--without", "lamp")[0] == 2
    assert (
        "--without goes with requests"
        in harbour.run("forecast", "--upgrade", "--without", "lamp")[2]
    )


@pytest.mark.parametrize("kind", KINDS)
def test_a_request_with_a_slash_leaves_it_out_too(kind: str, tmp_path: Path) -> None:
    harbour = ROWS[1].harbour(kind, tmp_path)
    found = harbour.forecast("one/gull", "--without", "lamp")
    assert {change["name"] for change in found["changes"]} == {"gull", "lamp"}


def test_nothing_to_type_for_a_package_file_without_another(tmp_path: Path) -> None:
    harbour = package_files.harbour(DEB, tmp_path)
    file = str(package_files.write_package(DEB, tmp_path, package_files.Made("gull-tool", "9")))
    assert harbour.forecast(file)["next"] == [f"apt-get install {file}"]
    found = harbour.forecast(file, "--without", package_files.INSTALLED.name)
    assert (found["ok"], found["next"]) == (True, [])
    assert package_files.INSTALLED.name in {change["name"] for change in found["changes"]}


@pytest.mark.parametrize("row", ROWS, ids=lambda row: row.title)
def test_on_an_rpm_zypp_host_a_sign_before_the_name_says_the_same(row: Row, tmp_path: Path) -> None:
    harbour = row.harbour(ZYPP, tmp_path)
    spelled = harbour.forecast("gull", "--without", "lamp")
    signed = harbour.forecast("gull", "!lamp")
    for key in ("ok", "changes", "problem"):
        assert signed[key] == spelled[key]
    if spelled["next"]:  # what is not there is named all the same
        assert signed["next"][-1] == "zypper install gull '!lamp'"
    assert harbour.forecast("gull", "!")["ok"] is False


def test_elsewhere_that_sign_is_part_of_a_name(tmp_path: Path) -> None:
    harbour = ROWS[0].harbour(DNF, tmp_path)
    assert harbour.forecast("gull", "!lamp")["problem"].endswith("a package called !lamp")


@pytest.mark.parametrize("row", SEVERAL, ids=lambda row: row.title)
def test_several_that_go_in_one_command_or_two(row: Several, tmp_path: Path) -> None:
    harbour = row.harbour(tmp_path)
    for lines, generation in ((row.older, "older"), (row.newer, "newer")):
        told = harbour.forecast(*row.words.split(), "--generation", generation)
        assert [line for line in told["next"] if "makecache" not in line] == list(lines)
