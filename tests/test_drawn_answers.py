"""What is foreseen on drawn hosts, in full: each answer, its reason, and what else would change.

The same kinds of host are asked of real installers in `tests/installer`; here their answers stand on
record (`tests/answers.py`), so that a change in how one chooses shows wherever it matters.
"""

from __future__ import annotations

import os
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.harbours import DNF, ZYPP, AlpmHarbour
from tests.installer.alpm_drawn import AlpmDrawn
from tests.installer.drawn import NAMES, Drawn
from tests.installer.drawn_relations import DrawnRelations
from tests.installer.rpm_drawn import RpmDrawn
from tests.program import run_on

pytestmark = pytest.mark.full
SEEDS = range(900, 912)
CODES = (0, 1, 2)
"""Foreseen, refused, or not to be understood; never a fault of the program's own."""


def ask(root: Path, requests: Iterator[list[str]], *more: str) -> None:
    """Ask for all of it; the answers are held against the record, one of them in words."""
    for count, words in enumerate(requests):
        ways = ("--json", "--why") if count == 1 else ("--json",)
        for way in ways:
            assert run_on(root, "forecast", *words, way, *more).code in CODES


@pytest.mark.parametrize("generation", ["older", "newer"])
@pytest.mark.parametrize("seed", SEEDS)
def test_on_deb_hosts_whose_packages_relate(tmp_path: Path, seed: int, generation: str) -> None:
    made = DrawnRelations(seed, tmp_path)
    requests = (ours or ["--upgrade"] for ours, _ in made.requests(7))
    ask(made.root, requests, "--generation", generation)


@pytest.mark.parametrize("seed", SEEDS)
def test_on_deb_hosts_with_many_rules(tmp_path: Path, seed: int) -> None:
    made = Drawn(seed, tmp_path)
    assert run_on(made.root, "refresh").code == 0
    for words in (["offers", *NAMES[:4]], ["forecast", *NAMES, "--why"], ["rules"], ["sources"]):
        assert run_on(made.root, *words, "--json").code in CODES
    ask(made.root, iter([[name] for name in NAMES]))


@pytest.mark.parametrize("generation", ["older", "newer"])
@pytest.mark.parametrize("kind", [DNF, ZYPP])
@pytest.mark.parametrize("seed", SEEDS)
def test_on_rpm_hosts(tmp_path: Path, kind: str, seed: int, generation: str) -> None:
    made = RpmDrawn(seed, tmp_path, kind)
    made.harbour.refresh()
    requests = [words[1:] for words in made.requests()]
    ask(made.harbour.root, iter([*requests, ["--upgrade"]]), "--generation", generation)


@pytest.mark.parametrize("seed", range(900, 930))
def test_on_alpm_hosts(tmp_path: Path, seed: int) -> None:
    made = AlpmDrawn(seed, tmp_path)
    harbour: AlpmHarbour = made.harbour
    assert harbour.run("refresh").code in CODES
    ask(harbour.root, made.requests())


@pytest.mark.parametrize("seed", [900, 903])
def test_an_answer_is_the_same_in_every_process(tmp_path: Path, seed: int) -> None:
    made = DrawnRelations(seed, tmp_path)
    words = [request for ours, _ in made.requests(7) for request in ours]
    said = {
        subprocess.run(
            [sys.executable, "-m", "velpin", "--root", str(made.root), "forecast", "--json", *words],
            env={**os.environ, "PYTHONHASHSEED": hashing}, capture_output=True, check=False,
        ).stdout
        for hashing in ("1", "2", "3")
    }  # fmt: skip
    assert len(said) == 1
