"""Which tests come by which line, and how long each takes: a plugin of the test runner.

With it, a fault is shown to the tests that can notice it, the quickest first, and to no other.
"""

from __future__ import annotations

import hashlib
import os
import pickle
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterable, Iterator
from difflib import SequenceMatcher
from pathlib import Path
from typing import Any, NamedTuple

import pytest

from tests.mutation.areas import PACKAGE, ROOT

STORE = ROOT / ".reach"
"""What was measured last."""


class Reach(NamedTuple):
    """What the tests come by."""

    seconds: dict[str, float]
    """How long each test takes."""
    lines: dict[str, dict[int, set[str]]]
    """The tests that come by each line of each module."""

    def tests(self, module: str, lines: frozenset[int]) -> set[str]:
        """The tests that come by any of these lines."""
        by_line = self.lines.get(module, {})
        return set().union(*(by_line.get(line, ()) for line in lines))

    def takes(self, tests: Iterable[str]) -> float:
        """How long some tests take, in seconds."""
        return sum(self.seconds[test] for test in tests)

    def of_module(self, module: str) -> set[str]:
        """The tests that come by a module."""
        return set().union(*self.lines.get(module, {}).values())


def measured_in(folder: Path) -> Reach:
    """What a run of the tests wrote into a folder: `VELPIN_REACH` named it, and the runner had this
    plugin."""
    found = Reach({}, {})
    for part in folder.iterdir():
        took, came_by, _ = pickle.loads(part.read_bytes())
        _add(found, took, came_by)
    return found


def _add(found: Reach, took: dict[str, float], came_by: dict[str, dict[int, list[str]]]) -> None:
    found.seconds.update(took)
    for module, by_line in came_by.items():
        for line, names in by_line.items():
            found.lines.setdefault(module, {}).setdefault(line, set()).update(names)


def reach() -> Reach:
    """What the tests come by now. What was measured before is kept: anew are run the files of
    tests that changed, and the lines of a module that changed are found again by their text."""
    tests = _hashes(ROOT / "tests", "**/test_*.py")
    modules = {
        str(path.relative_to(PACKAGE)): path.read_text().split("\n")
        for path in PACKAGE.glob("**/*.py")
        if path.relative_to(PACKAGE).parts[0] != "demo"  # no faults are put there
    }
    before = (
        pickle.loads(STORE.read_bytes()) if STORE.exists() else _Measured({}, {}, Reach({}, {}))
    )
    again = {file for file in tests if tests[file] != before.tests.get(file)}
    stale = again | (set(before.tests) - set(tests))
    seconds = {t: took for t, took in before.reach.seconds.items() if _file(t) not in stale}
    found = Reach(seconds, {})
    for module in modules.keys() & before.reach.lines.keys():
        by_line = _moved(before.reach.lines[module], before.modules[module], modules[module])
        found.lines[module] = {
            line: kept
            for line, names in by_line.items()
            if (kept := {name for name in names if _file(name) not in stale})
        }
    for took, came_by, failed in _measure(sorted(again & set(tests))) if again else ():
        _add(found, took, came_by)
        tests |= {_file(name): "failed" for name in failed}  # to be run again
    STORE.write_bytes(pickle.dumps(_Measured(tests, modules, found)))
    return found


def _moved(by_line: dict[int, set[str]], old: list[str], new: list[str]) -> dict[int, set[str]]:
    """What comes by each line of a text that was changed; by new lines comes what came by those
    in whose place they are, and by the line above."""
    if old == new:
        return by_line
    found: dict[int, set[str]] = {}
    matcher = SequenceMatcher(None, old, new, autojunk=False)
    for what, first, last, start, end in matcher.get_opcodes():
        if what == "equal":
            for line in range(first, last):
                found[start + line - first + 1] = by_line.get(line + 1, set())
            continue
        here = set().union(*(by_line.get(line, ()) for line in range(first, last + 1)))
        found |= dict.fromkeys(range(start + 1, end + 1), here)
    return found


class _Measured(NamedTuple):
    """What was measured, hashes of the files of tests and the text of modules for which that holds."""

    tests: dict[str, str]
    modules: dict[str, list[str]]
    reach: Reach


_Part = tuple[dict[str, float], dict[str, dict[int, list[str]]], set[str]]
"""How long tests take, what they come by, and those that fail."""


def _file(test: str) -> str:
    return test.partition("::")[0]


def _hashes(folder: Path, pattern: str) -> dict[str, str]:
    return {
        str(path.relative_to(ROOT)): hashlib.sha256(path.read_bytes()).hexdigest()
        for path in folder.glob(pattern)
    }


def _measure(files: list[str]) -> list[_Part]:
    """Run files of tests, each test with what it comes by and how long it takes."""
    with tempfile.TemporaryDirectory() as place:
        done = subprocess.run(
            [
                sys.executable, "-m", "pytest", "-q", "-m", "not slow or full", "-p",
                "tests.mutation.reach", "-p", "no:cacheprovider", *files,
            ],
            cwd=ROOT, env={**os.environ, "VELPIN_REACH": place, "PYTHONPATH": str(PACKAGE.parent)}, check=False,
            stdout=subprocess.PIPE, text=True,
        )  # fmt: skip
        if done.returncode == 1:
            print(f"left out, as they fail without any fault:\n{done.stdout[-2000:]}")
        elif done.returncode not in (0, 5):
            sys.exit(done.stdout[-3000:])
        return [pickle.loads(part.read_bytes()) for part in Path(place).iterdir()]


class Measuring:
    """Notes for each test the lines it comes by."""

    def __init__(self, place: Path) -> None:
        from coverage import Coverage

        self._place = place
        self._seconds: dict[str, float] = {}
        self._failed: set[str] = set()
        self._coverage = Coverage(data_file=None, source=[str(PACKAGE)])
        self._coverage.start()

    @pytest.hookimpl(hookwrapper=True)
    def pytest_runtest_protocol(self, item: pytest.Item) -> Iterator[None]:
        """One test, with all that is made for it; slow ones are shown no fault."""
        marks = {mark.name for mark in item.iter_markers()}
        if "slow" in marks and "full" not in marks:
            self._coverage.stop()
            yield
            self._coverage.start()
            return
        self._coverage.switch_context(item.nodeid)
        started = time.monotonic()
        yield
        self._seconds[item.nodeid] = time.monotonic() - started
        self._coverage.switch_context("")

    def pytest_runtest_logreport(self, report: pytest.TestReport) -> None:
        """A test that fails as it is can notice nothing."""
        if report.failed:
            self._failed.add(report.nodeid)

    def pytest_sessionfinish(self) -> None:
        """Write down what was seen."""
        for name in self._failed:
            self._seconds.pop(name, None)
        self._coverage.stop()
        data = self._coverage.get_data()
        lines: dict[str, dict[int, list[str]]] = {}
        for file in data.measured_files():
            name = str(Path(file).relative_to(PACKAGE))
            lines[name] = {
                line: [one for one in tests if one in self._seconds]
                for line, tests in data.contexts_by_lineno(file).items()
            }
        (self._place / str(os.getpid())).write_bytes(
            pickle.dumps((self._seconds, lines, self._failed))
        )


def pytest_configure(config: Any) -> None:
    """Measure where tests are run, that is, in the workers."""
    place = os.environ.get("VELPIN_REACH")
    if place and (hasattr(config, "workerinput") or not config.option.numprocesses):
        config.pluginmanager.register(Measuring(Path(place)))
