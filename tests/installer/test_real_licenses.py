"""Licenses, held against what the real installers ask."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.harbours import ZYPP
from tests.installer.newer_ask import NewerRpmInstaller
from tests.installer.rpm_ask import PROGRAMS, RealInstaller
from tests.license_hosts import ASKED, license_host

rows = pytest.mark.parametrize(("words", "names"), ASKED)
QUESTION = "Do you agree with the terms of the license?"


def command(words: list[str], *more: str) -> list[str]:
    verb = ["update"] if words == ["--upgrade"] else ["install"]
    return [*verb, *more, *(word for word in words if word != "--upgrade")]


def holds(
    real: RealInstaller | NewerRpmInstaller, words: list[str], names: list[str], *generation: str
) -> None:
    found = real.harbour.forecast(*words, *generation)
    told = [one["name"] for one in found["questions"] if one["code"] == "agree-to-license"]
    assert told == names
    assert (QUESTION in real.ask(*command(words)).text) == bool(names)
    agreed = real.ask(*command(words, "--auto-agree-with-licenses")).text
    for name in names:
        assert f"Automatically agreeing with {name} package license" in agreed
    assert agreed.count("Automatically agreeing") == len(names)


@pytest.mark.skipif(PROGRAMS[ZYPP] is None, reason="no zypp installer on this machine")
@rows
def test_older(tmp_path: Path, words: list[str], names: list[str]) -> None:
    holds(RealInstaller(license_host(tmp_path)), words, names)


@rows
def test_newer(newer_root: Path, folder: Path, words: list[str], names: list[str]) -> None:
    real = NewerRpmInstaller(newer_root, license_host(folder))
    holds(real, words, names, "--generation", "newer")
