"""Vendors on rpm-zypp hosts: that they decide is told, and two can be made to count as one."""

from __future__ import annotations

import json
from collections.abc import Mapping
from pathlib import Path

import pytest

from tests.harbours import ZYPP, RpmHarbour
from tests.vendor_hosts import GROUPS, M, vendor_host
from velpin.demo.rpm_files import DemoRpm as P


@pytest.mark.parametrize(("what", "groups", "comes"), GROUPS)
def test_which_vendors_count_as_one(
    tmp_path: Path, what: str, groups: Mapping[str, str], comes: str | None
) -> None:
    harbour = vendor_host(tmp_path, groups)
    for generation in ("older", "newer"):
        for words in (["gull"], ["--upgrade"]):
            changes = harbour.forecast(*words, "--generation", generation)["changes"]
            assert [change["new"] for change in changes] == ([comes] if comes else []), what


def test_a_vendor_that_decides_is_told(tmp_path: Path) -> None:
    harbour = vendor_host(tmp_path)
    (gull,) = harbour.forecast("gull")["answers"]
    assert gull["decided_by"] == "vendor"
    assert gull["reasons"][-1]["text"] == (
        "it stays with its vendor, Base: what is newer is of Packhouse"
    )
    assert next(passed["why"] for passed in gull["passed_over"]) == (
        "it is of vendor Packhouse, and what is installed is of Base"
    )
    assert (
        "chosen by its vendor: what is newer is another vendor's"
        in harbour.run("forecast", "gull").out
    )
    (tern,) = harbour.forecast("tern")["answers"]
    assert tern["decided_by"] == "installed"
    assert all("vendor" not in passed["why"] for passed in tern["passed_over"])


@pytest.mark.parametrize(
    ("words", "decided"),
    [(["gull@2-1"], "request"), (["gull%packhouse"], "request"), (["skua"], "only offer")],
)
def test_where_it_does_not_decide(tmp_path: Path, words: list[str], decided: str) -> None:
    (answer,) = vendor_host(tmp_path).forecast(*words)["answers"]
    assert answer["decided_by"] == decided


def test_an_update_of_its_own_vendor_is_taken_and_the_other_told(tmp_path: Path) -> None:
    harbour = RpmHarbour(tmp_path, ZYPP)
    harbour.source("base", P("gull", "2-1", vendor="Base"))
    harbour.source("packhouse", P("gull", "3-1", vendor="Packhouse"), P("gull", "1-1", vendor=""))
    harbour.installed(P("gull", "1-1", vendor="Base"))
    (gull,) = harbour.refresh().forecast("gull")["answers"]
    assert (gull["version"], gull["decided_by"]) == ("2-1", "version")
    assert [passed["why"] for passed in gull["passed_over"]] == [
        "it is of vendor Packhouse, and what is installed is of Base",
        "it is of vendor nobody named, and what is installed is of Base",
    ]  # fmt: skip


def test_want_makes_two_vendors_count_as_one(tmp_path: Path) -> None:
    harbour = vendor_host(tmp_path)
    before = harbour.files()
    told = json.loads(harbour.run("want", "gull@2-1", "--json", "--preview").out)
    assert [option["commands"] for option in told["options"]] == [
        ["printf '%s\\n' '[main]' vendors=Base,Packhouse > /etc/zypp/vendors.d/packhouse.conf"]
    ]
    assert harbour.run("want", "gull@2-1", "--take", "1")[0] == 0
    file = "etc/zypp/vendors.d/packhouse.conf"
    assert harbour.read(file) == "# added by velpin\n[main]\nvendors=Base,Packhouse\n"
    assert harbour.changes("gull") == {"gull.x86_64": "2-1 packhouse"}
    (rule,) = json.loads(harbour.run("rules", "--json").out)["rules"]
    assert rule["says"] == "vendors that begin with one of these count as one: base, packhouse"
    assert (rule["place"], rule["installed"]) == (f"{file}:2", ["gull", "tern"])
    assert harbour.run("rules", "drop", "1", "--yes")[0] == 0
    assert harbour.files() == before


@pytest.mark.parametrize(
    ("vendor", "handle", "file"),
    [
        ("Pack, House", "packhouse", None),
        ("", "packhouse", None),
        ("B", "packhouse", None),
        ("Other", "packhouse", "packhouse.conf"),
        ("Packhouse", "..", "velpin.conf"),
        ("Packhouse", "p:h", "p-h.conf"),
    ],
)
def test_what_is_written_stays_in_its_folder(
    tmp_path: Path, vendor: str, handle: str, file: str | None
) -> None:
    harbour = RpmHarbour(tmp_path, ZYPP)
    harbour.source("base", P("gull", "1-1", vendor="Base"))
    harbour.source("other", P("gull", "2-1", vendor=vendor))
    text = harbour.read("etc/zypp/repos.d/other.repo").replace("[other]", f"[{handle}]")
    harbour.put("etc/zypp/repos.d/other.repo", text)
    harbour.installed(P("gull", "1-1", vendor="Base"))
    harbour.refresh()
    told = json.loads(harbour.run("want", "gull@2-1", "--json", "--preview").out or "{}")
    commands = [option["commands"][-1] for option in told.get("options", [])]
    assert [each.rpartition("/")[2] for each in commands] == ([file] if file else [])


def test_a_second_file_gets_a_name_of_its_own(tmp_path: Path) -> None:
    harbour = vendor_host(tmp_path, {"packhouse.conf": M + "Gone,Lost\n"})
    assert harbour.run("want", "gull@2-1", "--take", "1")[0] == 0
    assert harbour.read("etc/zypp/vendors.d/packhouse.conf") == M + "Gone,Lost\n"
    assert "Base,Packhouse" in harbour.read("etc/zypp/vendors.d/packhouse1.conf")


@pytest.mark.parametrize(
    ("groups", "note"),
    [
        ({}, "kept with another vendor: gull, tern; what moves them to packhouse: velpin forecast"
             " --upgrade --from packhouse"),
        ({"p.conf": M + "Base,Packhouse\n"}, None),
    ],
)  # fmt: skip
def test_a_preferred_source_says_what_stays_with_its_vendor(
    tmp_path: Path, groups: Mapping[str, str], note: str | None
) -> None:
    harbour = vendor_host(tmp_path, groups)
    out = harbour.run("prefer", "packhouse", "--over", "base", "--preview").out
    assert (f"note: {note}\n" in out) == (note is not None)
    assert ("kept with another vendor" in out) == (note is not None)
    other = harbour.run("prefer", "base", "--over", "packhouse", "--preview").out
    assert "kept with another vendor" not in other


def test_a_name_that_begins_other_vendors_names_is_not_offered(tmp_path: Path) -> None:
    for number, (vendor, options) in enumerate((("Third", 1), ("Packhouse North", 0))):
        harbour = vendor_host(tmp_path / str(number))
        harbour.installed(P("gull", "1-1", vendor="Base"), P("crane", "1-1", vendor=vendor))
        code, out, _ = harbour.run("want", "gull@2-1", "--json", "--preview")
        assert len(json.loads(out)["options"] if code == 0 else []) == options
