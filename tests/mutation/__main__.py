"""python -m tests.mutation [--area NAME] [--sample N] [--seed S]: faults noticed, by area.

Each fault is put into a copy of the source, and the tests of its area are run on that until one
fails. What no test notices is printed with its line; those that cannot matter are in ACCEPTED.
"""

from __future__ import annotations

import argparse
import os
import random
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import NamedTuple

from tests.mutation.operators import Mutant, mutants

ROOT = Path(__file__).parents[2]
SECONDS = 240


class Area(NamedTuple):
    """Code of one kind, and the tests that hold it, the fastest first."""

    files: tuple[str, ...]
    tests: tuple[str, ...]


AREAS = {
    "choice": Area(
        ("kinds/deb/choice.py", "kinds/deb/requests.py", "kinds/rpm/solve/policy.py"),
        ("test_choice_rules", "test_forecast", "test_rules", "test_rpm_choice", "agreement"),
    ),
    "transaction": Area(
        ("kinds/deb/transaction/*.py", "kinds/deb/engine/*.py"),
        ("test_resolve", "test_transaction", "test_choice_rules", "test_refusal", "agreement"),
    ),
    "solve": Area(
        ("kinds/rpm/solve/*.py", "kinds/alpm/solver.py"),
        ("test_search", "test_rpm_choice", "test_alpm_choice", "test_choice_rules", "agreement"),
    ),
    "edit": Area(
        ("kinds/*/edit.py",),
        ("test_edit", "test_change_rules", "test_text", "test_rpm_changes", "test_alpm_changes",
         "test_add"),
    ),
    "journal": Area(
        ("change/journal.py",), ("test_journal", "test_change_rules", "test_confined")
    ),
    "rules": Area(
        ("core/rule_*.py", "kinds/*/rules/*.py"),
        ("test_rule", "test_rules", "test_kind_contract", "test_rpm_changes",
         "test_alpm_changes", "test_drawn_rules"),
    ),
}  # fmt: skip

ACCEPTED = {
    ("kinds/deb/edit.py", "without sorted"):
        "the order of options in a statement: both sides are read by the same code, and no edit"
        " moves an option",
    ("kinds/deb/engine/repair.py", "without Cause('upgrade')"):
        "what was marked for installation has a cause; the other is there for its type",
}  # fmt: skip
"""Faults that no test can notice, by file and what was done, and why."""


def faults(area: Area) -> Iterator[tuple[str, Mutant]]:
    """Every fault of an area, by file."""
    for pattern in area.files:
        for path in sorted((ROOT / "src/velpin").glob(pattern)):
            name = str(path.relative_to(ROOT / "src/velpin"))
            for mutant in mutants(path.read_text()):
                yield name, mutant


def is_noticed(source: Path, name: str, mutant: Mutant, tests: Sequence[str]) -> bool:
    """Whether a test fails with a fault in the copy of the source."""
    path = source / "velpin" / name
    before = path.read_text()
    path.write_text(mutant.text)
    try:
        for test in tests:
            where = f"tests/{test}.py" if (ROOT / f"tests/{test}.py").exists() else f"tests/{test}"
            command = [
                sys.executable, "-m", "pytest", "-q", "-x", "-p", "no:cacheprovider",
                "-n", "0", where,
            ]  # fmt: skip
            env = {
                **os.environ, "PYTHONPATH": str(source), "PYTHONDONTWRITEBYTECODE": "1",
                "VELPIN_DRAWN_HOSTS": "4",
            }  # fmt: skip
            try:
                done = subprocess.run(
                    command, cwd=ROOT, env=env, capture_output=True, check=False, timeout=SECONDS
                )
            except subprocess.TimeoutExpired:
                return True
            if done.returncode != 0:
                return True
        return False
    finally:
        path.write_text(before)


def main() -> None:
    """Draw some faults of each area and see which are noticed."""
    parser = argparse.ArgumentParser(prog="python -m tests.mutation")
    parser.add_argument("--area", action="append", choices=sorted(AREAS))
    parser.add_argument("--sample", type=int, default=25)
    parser.add_argument("--seed", type=int, default=1)
    said = parser.parse_args()
    with tempfile.TemporaryDirectory() as folder:
        source = Path(folder) / "src"
        shutil.copytree(ROOT / "src", source)
        for name in said.area or sorted(AREAS):
            everything = list(faults(AREAS[name]))
            drawn = random.Random(said.seed).sample(everything, min(said.sample, len(everything)))
            noticed = accepted = 0
            for file, mutant in drawn:
                if is_noticed(source, file, mutant, AREAS[name].tests):
                    noticed += 1
                elif (file, mutant.what) in ACCEPTED:
                    accepted += 1
                else:
                    print(f"  unnoticed: {file}:{mutant.line} {mutant.what}", flush=True)
            rest = f", {accepted} accepted" if accepted else ""
            print(f"{name}: {noticed} of {len(drawn)} noticed{rest}", flush=True)


if __name__ == "__main__":
    main()
