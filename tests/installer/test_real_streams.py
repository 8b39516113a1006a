"""Module streams, held against the real installers: what is written, and modules as requests."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.harbours import DNF, RpmHarbour
from tests.installer.newer_ask import NewerRpmInstaller
from tests.installer.rpm_ask import PROGRAMS, RealInstaller, agree
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

ways = pytest.mark.parametrize(("states", "wanted", "commands"), WAYS)
here = pytest.mark.skipif(PROGRAMS[DNF] is None, reason="no dnf installer on this machine")


def name_in(wanted: str) -> str:
    return wanted.partition("@")[0].partition("%")[0]


def make(harbour: RpmHarbour, wanted: str, number: int) -> None:
    code, _, told = harbour.run("want", wanted, "--take", str(number))
    assert code == 0, told


@here
@ways
def test_what_is_written_shows_what_is_wanted(
    tmp_path: Path, states: tuple[str, ...], wanted: str, commands: list[str]
) -> None:
    for number in range(1, len(commands) + 1):
        harbour = module_host(tmp_path / str(number), *states)
        make(harbour, wanted, number)
        name = name_in(wanted)
        assert agree(RealInstaller(harbour).ask("install", name), harbour.forecast(name))


@ways
def test_what_is_written_on_a_newer_host(
    newer_root: Path, folder: Path, states: tuple[str, ...], wanted: str, commands: list[str]
) -> None:
    for number in range(1, len(commands) + 1):
        harbour = module_host(folder / str(number), *states)
        harbour.put("usr/bin/dnf5", "")
        make(harbour, wanted, number)
        name = name_in(wanted)
        real = NewerRpmInstaller(newer_root, harbour)
        assert agree(real.ask("install", name), harbour.forecast(name))


@here
@pytest.mark.parametrize(("states", "asked", "comes", "besides"), SETS)
def test_a_module_is_a_request(
    tmp_path: Path, states: tuple[str, ...], asked: str, comes: dict[str, str], besides: str
) -> None:
    said = RealInstaller(module_host(tmp_path, *states)).ask("install", *asked.split())
    assert all(f" {name} " in said.text and f" {version} " in said.text
               for name, version in comes.items())  # fmt: skip
    assert said.text.count("Install  ") == 1
    assert f"Install  {len(comes)} Package" in said.text
    assert ("Enabling module streams" in said.text) == bool(besides)


@here
@pytest.mark.parametrize(("states", "asked", "says", "hint"), REFUSED_SETS)
def test_a_module_that_it_does_not_take(
    tmp_path: Path, states: tuple[str, ...], asked: str, says: str, hint: str
) -> None:
    said = RealInstaller(module_host(tmp_path, *states)).ask("install", asked)
    assert said.done is None, said.text


# -- what counts -----------------------------------------------------------------------------


def comes_of(real: RealInstaller | NewerRpmInstaller) -> str | None:
    done = real.ask("install", "gull").done
    return done["gull.x86_64"][0] if done else None


@here
@pytest.mark.parametrize(("what", "document", "older", "newer"), DOCUMENTS)
def test_documents(tmp_path: Path, what: str, document: str, older: str, newer: str) -> None:
    assert comes_of(RealInstaller(document_host(tmp_path, document))) == older, what


@pytest.mark.parametrize(("what", "document", "older", "newer"), DOCUMENTS)
def test_documents_on_a_newer_host(
    newer_root: Path, folder: Path, what: str, document: str, older: str, newer: str
) -> None:
    assert comes_of(NewerRpmInstaller(newer_root, document_host(folder, document))) == newer, what


@here
@pytest.mark.parametrize(("statement", "older", "newer"), STATEMENTS)
def test_statements(tmp_path: Path, statement: str, older: str, newer: str) -> None:
    assert comes_of(RealInstaller(stating_host(tmp_path, statement))) == older


@pytest.mark.parametrize(("statement", "older", "newer"), STATEMENTS)
def test_statements_on_a_newer_host(
    newer_root: Path, folder: Path, statement: str, older: str, newer: str
) -> None:
    assert comes_of(NewerRpmInstaller(newer_root, stating_host(folder, statement))) == newer


@pytest.mark.parametrize(("statement", "comes"), OWN_STATEMENTS)
def test_statements_of_the_own_file(
    newer_root: Path, folder: Path, statement: str, comes: str | None
) -> None:
    harbour = stating_host(folder, statement, OWN_FILE)
    assert comes_of(NewerRpmInstaller(newer_root, harbour)) == comes
