"""Looking at a repository by its address: what is seen, who signs it, and that nothing stays."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest

from tests.harbours import (
    ALPM,
    DNF,
    RPM,
    ZYPP,
    AlpmHarbour,
    DebHarbour,
    Harbour,
    RpmHarbour,
    offer,
)
from velpin.demo.alpm_files import DemoArchive
from velpin.demo.build import write_repository
from velpin.demo.rpm_files import DemoRpm
from velpin.demo.signer import Signer
from velpin.errors import NotThere, Refusal, UsageError

OLD, NEW = 1_600_000_000, 1_700_000_000


def look(host: Harbour, address: str, *words: str) -> dict[str, Any]:
    code, out, err = host.run("offers", "--at", address, "--json", *words)
    assert code == 0, out + err
    found: dict[str, Any] = json.loads(out)
    return found


def stored(host: Harbour) -> list[Path]:
    return sorted((host.root / "var/cache/velpin").rglob("*"))


@pytest.fixture
def deb(tmp_path: Path) -> DebHarbour:
    host = DebHarbour(tmp_path)
    host.source("mooring", ("foo", "2"))
    return host.refresh()


def test_releases_and_components(deb: DebHarbour) -> None:
    for suite, version in (("quay", "3"), ("jetty", "4"), ("wharf", "5")):
        address = deb.repository("gullwatch", ("foo", version), ("bar", "1"), suite=suite)
    before = stored(deb)
    found = look(deb, address)
    assert (found["release"], found["is_for_host"]) == ("jetty", True)
    assert sorted(found["releases"]) == ["jetty", "quay", "wharf"]
    assert found["components"] == found["all_components"] == ["main"]
    assert found["architectures"] == ["amd64"]
    assert (found["packages"], found["signature"]["state"]) == (2, "none")
    assert [(one["name"], one["version"], one["state"]) for one in found["offers"]] == [
        ("bar", "1", "chosen"), ("foo", "4", "chosen"),
    ]  # fmt: skip
    assert (found["oldest"], found["newest"]) == (None, None)
    assert look(deb, address, "b*")["packages"] == 2
    assert [one["name"] for one in look(deb, address, "b*")["offers"]] == ["bar"]
    other = look(deb, address, "--suite", "wharf")
    assert (other["release"], other["is_for_host"]) == ("wharf", False)
    assert [one["version"] for one in other["offers"]] == ["1", "5"]
    deb.repository("gullwatch", ("foo", "4.1"), suite="jetty-fresh")
    assert look(deb, address, "--suite", "jetty-fresh")["is_for_host"] is True
    deb.repository("gullwatch", ("foo", "4.1"), suite="jettyfresh")
    assert look(deb, address, "--suite", "jettyfresh")["is_for_host"] is False
    assert stored(deb) == before
    assert not (deb.root / "etc/apt/sources.list.d/gullwatch.sources").exists()


def test_none_of_the_releases_is_the_hosts(deb: DebHarbour) -> None:
    address = deb.repository("gullwatch", ("foo", "3"), suite="quay")
    found = look(deb, address)
    assert (found["release"], found["is_for_host"]) == ("quay", None)
    _, out, _ = deb.run("offers", "--at", address)
    assert out.endswith(f"velpin add {address}\n")


def test_other_components_are_told(deb: DebHarbour) -> None:
    address = deb.repository("gullwatch", ("foo", "3"))
    write_repository(
        deb.folder / "repos/gullwatch",
        "jetty",
        {"main": [offer("foo", "3")], "extra": []},
        None,
        {},
    )
    found = look(deb, address)
    assert (found["components"], found["all_components"]) == (["main"], ["main", "extra"])
    _, out, _ = deb.run("offers", "--at", address)
    assert "components      main; it also has extra\n" in out


def test_a_flat_repository(deb: DebHarbour) -> None:
    address = deb.repository("flat", ("foo", "3"), suite="./")
    found = look(deb, address)
    assert (found["release"], found["components"]) == ("./", [])
    assert [one["version"] for one in found["offers"]] == ["3"]


def test_who_signs_it(deb: DebHarbour, signer: Signer) -> None:
    address = deb.repository("gullwatch", ("foo", "3"), signer=signer)
    unknown = look(deb, address)["signature"]
    assert unknown["state"] == "unknown"
    assert unknown["keys"]
    assert unknown["owners"] == []
    deb.put("etc/apt/trusted.gpg.d/gullwatch.asc", signer.public)
    known = look(deb, address)["signature"]
    assert known["state"] == "known"
    assert known["keys"] == [signer.fingerprint]
    head = next((deb.folder / "repos/gullwatch").rglob("InRelease"))
    head.write_text(head.read_text().replace("Origin: gullwatch", "Origin: seagulls"))
    bad = look(deb, address)
    assert bad["signature"]["state"] == "bad"
    assert [one["version"] for one in bad["offers"]] == ["3"]


def test_where_nothing_is(deb: DebHarbour) -> None:
    host = deb.host()
    with pytest.raises(NotThere, match="no repository for a host of kind deb"):
        host.packages.look_at(f"file://{deb.folder}/nothing")
    address = deb.repository("gullwatch", ("foo", "3"))
    with pytest.raises(NotThere, match="with a release wharf"):
        host.packages.look_at(address, suite="wharf")
    with pytest.raises(UsageError, match="is not an address"):
        host.packages.look_at("gullwatch")
    with pytest.raises(Refusal, match="is on this host already, as mooring"):
        host.packages.look_at(f"file://{deb.folder}/repos/mooring")


def test_words_that_do_not_go_together(deb: DebHarbour) -> None:
    for words in (
        ("--at", "http://gullwatch.example", "a", "b"), ("--suite", "jetty", "foo"),
        ("--component", "main", "foo"), ("--from", "mooring", "--at", "http://gullwatch.example"),
    ):  # fmt: skip
        assert deb.run("offers", *words).code == 2


@pytest.mark.parametrize("kind", [*RPM, ALPM])
def test_other_kinds(kind: str, tmp_path: Path) -> None:
    if kind == ALPM:
        alpm = AlpmHarbour(tmp_path)
        host: Harbour = alpm
        made = alpm.repository(
            "gullwatch", DemoArchive("foo", "3-1", built=NEW), DemoArchive("bar", "1-1", built=OLD),
            DemoArchive("far", "1-1", "aarch64", built=1),
        )  # fmt: skip
    else:
        rpm = RpmHarbour(tmp_path, kind)
        host = rpm
        made = rpm.repository(
            "gullwatch", DemoRpm("foo", "3-1", built=NEW), DemoRpm("bar", "1-1", built=OLD),
            DemoRpm("far", "1-1", "aarch64", built=1),
        )  # fmt: skip
    host.run("forecast", "foo")  # what it has itself is read
    before = stored(host)
    found = look(host, f"file://{made}")
    assert (found["oldest"], found["newest"], found["packages"]) == (OLD, NEW, 2)
    assert found["architectures"] == ["aarch64", "x86_64"]
    assert found["signature"]["state"] == "none"
    assert [one["name"] for one in found["offers"]] == ["bar", "foo"]
    assert (found["release"], found["is_for_host"]) == ("", None)
    assert stored(host) == before
    code, out, _ = host.run("offers", "--at", f"file://{made}/", "none*")
    assert code == 0
    assert "packages built  from 2020-09-13 to 2023-11-14\n" in out
    assert "nothing in it is called none*\n" in out


def test_variables_in_the_address(tmp_path: Path) -> None:
    host = RpmHarbour(tmp_path, DNF)
    made = host.repository("ls4", DemoRpm("foo", "3-1"))
    found = look(host, f"file://{made.parent}/ls$releasever")
    assert [one["name"] for one in found["offers"]] == ["foo"]
    other = RpmHarbour(tmp_path / "other", ZYPP)
    with pytest.raises(NotThere):
        other.host().packages.look_at(f"file://{made.parent}/ls$basearch")


def test_a_list_is_found_by_the_names_in_its_address(tmp_path: Path) -> None:
    host = AlpmHarbour(tmp_path)
    made = host.repository("gullwatch", DemoArchive("foo", "3-1"))
    arch = made / "x86_64"
    arch.mkdir()
    (made / "gullwatch.db").rename(arch / "gullwatch.db")
    for address in (f"file://{made}/x86_64", f"file://{made}/$arch", f"file://{made}/x86_64/"):
        assert [one["source"] for one in look(host, address)["offers"]] == ["gullwatch"]
    (arch / "gullwatch.db").rename(arch / "gulls.db")
    with pytest.raises(NotThere):
        host.host().packages.look_at(f"file://{made}/x86_64")


def test_adding_by_address_says_which_release_is_taken(deb: DebHarbour, signer: Signer) -> None:
    deb.put("etc/apt/trusted.gpg.d/gullwatch.asc", signer.public)
    address = f"file://{deb.folder}/repos/gullwatch"
    for suite in ("quay", "jetty"):
        rows = {"main": [offer("bar", "1")], "extra": [offer("rare", "1")]}
        write_repository(deb.folder / "repos/gullwatch", suite, rows, signer, {})
    _, out, _ = deb.run("add", address, "--preview")
    assert "; jetty is taken (--suite takes another)\n" in out
    assert "the components main, extra; main is taken (--component takes others)\n" in out
    _, out, _ = deb.run("add", address, "--preview", "--suite", "quay", "--component", "main")
    assert "is taken" not in out


# -- folders ------------------------------------------------------------------------------------


def test_a_folder_of_the_host_as_a_source(deb: DebHarbour, signer: Signer) -> None:
    deb.repository("gull watch", ("bar", "1"), signer=signer)
    place = deb.root / "srv/gull watch"
    place.parent.mkdir()
    (deb.folder / "repos/gull watch").rename(place)
    deb.put("key.asc", signer.public, 0o644)
    out = deb.done("add", str(place), "--key", str(deb.root / "key.asc"), "--yes")
    assert "URIs: file:///srv/gull%20watch\n" in out
    assert deb.changes("bar") == {"bar": "1 gull-watch"}


def test_a_folder_that_is_none(deb: DebHarbour, tmp_path: Path) -> None:
    (deb.root / "srv").mkdir()
    code, _, err = deb.run("add", str(deb.root / "srv"))
    assert (code, "holds no repository for a host of kind deb" in err) == (2, True)
    for name in ("b_1.deb", "a_1.deb", "x.rpm"):
        deb.put(f"srv/{name}", "")
    code, _, err = deb.run("add", str(deb.root / "srv"))
    assert (code, "holds package files (2) and no index of them" in err) == (2, True)
    assert f"velpin forecast {deb.root}/srv/a_1.deb\n" in err
    code, _, err = deb.run("add", str(tmp_path / "repos"))
    assert (code, f"is not on this host, whose root is {deb.root}" in err) == (2, True)
