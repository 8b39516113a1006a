"""Licenses that the installer of rpm-zypp hosts asks about."""

from __future__ import annotations

import gzip
import shutil
from pathlib import Path
from typing import Any

import pytest

from tests.harbours import RpmHarbour
from tests.license_hosts import ASKED, LICENSES, license_host, susedata
from velpin.demo.rpm_files import DemoRpm as P

RAW = "var/cache/zypp/raw/base/repodata"


def with_list(harbour: RpmHarbour) -> RpmHarbour:
    """The host after its installer has fetched the lists of its source."""
    shutil.copytree(harbour.folder / "repos/base/repodata", harbour.root / RAW)
    return harbour


def asked_in(found: dict[str, Any]) -> list[str]:
    return [each["name"] for each in found["questions"] if each["code"] == "agree-to-license"]


@pytest.mark.parametrize(("words", "names"), ASKED)
def test_whose_license_is_asked_about(tmp_path: Path, words: list[str], names: list[str]) -> None:
    harbour = with_list(license_host(tmp_path))
    for generation in ("older", "newer"):
        assert asked_in(harbour.forecast(*words, "--generation", generation)) == names


def test_how_it_is_told(tmp_path: Path) -> None:
    harbour = with_list(license_host(tmp_path))
    (question,) = (one for one in harbour.forecast("gull")["questions"] if "name" in one)
    assert question == {
        "code": "agree-to-license", "text": "agree to the license of gull", "name": "gull",
        "default": "no", "unattended": "stops", "option": "-y",
        "allowed_by": "--auto-agree-with-licenses",
    }  # fmt: skip
    assert "agree to the license of gull" in harbour.run("forecast", "gull").out
    assert not any("agree" in line for line in harbour.forecast("gull")["next"])


def test_without_the_installers_list_nothing_is_said(tmp_path: Path) -> None:
    assert asked_in(license_host(tmp_path).forecast("gull")) == []


@pytest.mark.parametrize(
    ("name", "data", "asked"),
    [
        ("susedata.xml", susedata(LICENSES, [P("gull", "2-1")]), ["gull"]),
        ("abc-susedata.xml.gz", gzip.compress(susedata(LICENSES, [P("gull", "2-1")])), ["gull"]),
        ("abc-susedata.en.xml.gz", gzip.compress(susedata(LICENSES, [P("gull", "2-1")])), []),
        ("abc-primary.xml.gz", gzip.compress(susedata(LICENSES, [P("gull", "2-1")])), []),
        ("susedata.xml", susedata(LICENSES, [P("tern", "2-1"), P("gull", "2-1")]), ["gull"]),
        ("susedata.xml", susedata(LICENSES, [P("gull", "2-1", arch="noarch")]), []),
        ("susedata.xml", susedata({("gull", "3-1"): "x"}, [P("gull", "3-1")]), []),
        ("susedata.xml", susedata({("gull", "1:2-1"): "x"}, [P("gull", "1:2-1")]), []),
        ("susedata.xml", susedata(LICENSES, [P("gull", "2-1")])[:-30], []),
        ("susedata.xml", susedata(LICENSES, [P("gull", "2-1")]).replace(b"<version", b"<v"), []),
        ("susedata.xml", b"<susedata><package><eula>&x;</eula></package>"
                         + susedata(LICENSES, [P("gull", "2-1")]), ["gull"]),
        ("susedata.xml.gz", gzip.compress(susedata(LICENSES, [P("gull", "2-1")]))[:-20], []),
        ("susedata.xml", b"", []),
    ],
)  # fmt: skip
def test_what_is_read(tmp_path: Path, name: str, data: bytes, asked: list[str]) -> None:
    harbour = license_host(tmp_path)
    harbour.put(f"{RAW}/{name}", data)
    assert asked_in(harbour.forecast("gull")) == asked
