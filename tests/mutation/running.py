"""Tests run upon a fault: in a forked process, which reads the faulty module in place of its own.

What tests start as processes of their own finds a whole package with the fault in it.
"""

from __future__ import annotations

import contextlib
import importlib
import importlib.machinery
import os
import resource
import shutil
import signal
import sys
import tempfile
import time
from collections import defaultdict
from collections.abc import Iterable, Iterator
from collections.abc import Set as AbstractSet
from pathlib import Path
from types import CodeType
from typing import Any, NamedTuple

import pytest

from tests.answers import on_record
from tests.mutation.areas import ELSEWHERE, PACKAGE, ROOT
from tests.mutation.operators import Fault, mutant
from tests.mutation.reach import Reach

MOST_SECONDS = 45.0
"""So many seconds of tests are enough for one fault."""
FIRST_FILES = 5
QUICK = 0.03
"""Seconds; a test of one function that takes no more is always asked."""
FEW = 50
"""Tests; a module with fewer of them was only read by them, not used."""
WORTH_OF_WHOLE = 4
"""How much longer a test may take for a whole answer to be asked as soon as one without."""
LARGEST = 6 << 30
PRELOADED = (
    "pytest", "_pytest", "hypothesis", "hypothesis.strategies", "xdist", "pysequoia", "yaml",
    "rich.console", "rich.table", "typer", "cryptography.hazmat.primitives.hashes", "urllib3",
    "jinja2", "rapidfuzz", "filelock", "lz4.frame", "http.server", "sqlite3", "jsonschema",
    "tomllib", "tomli_w", "email.parser", "matplotlib", "xml.etree.ElementTree",
)  # fmt: skip


class Verdict(NamedTuple):
    """Whether a fault was noticed."""

    module: str
    fault: Fault
    what: str
    noticed: bool
    asked: int
    """How many tests come by it."""


def preload() -> None:
    """Read what every test needs, of others: it is there in each forked process then."""
    sys.path.insert(0, str(PACKAGE.parent))  # not a copy that is installed
    sys.dont_write_bytecode = False  # or all is compiled anew for every fault
    for name in PRELOADED:
        with contextlib.suppress(ImportError):
            importlib.import_module(name)
    on_record()
    assert not any(name.startswith("velpin") for name in sys.modules)


def judge(module: str, fault: Fault, reach: Reach) -> Verdict:
    """Show a fault to the tests that come by it, the quickest first."""
    path = PACKAGE / module
    made = mutant(path.read_text(), fault)
    tests = reach.tests(module, fault.lines) if fault.function else _that_read(module, reach)
    tests |= _elsewhere(module, reach)
    behind = tests & reach.tests(module, fault.behind)
    # What few tests do, those that do it notice soonest.
    first = min((behind, tests - behind), key=lambda some: (not some, len(some)))
    noticed = any(
        _fails(path, made.text, batch, reach.takes(batch))
        for batch in _batches(tests, reach, first)
    )
    return Verdict(module, fault, made.what, noticed, len(tests))


def _that_read(module: str, reach: Reach) -> set[str]:
    """What is done when a module is read belongs to all tests that come by the module; if it has
    nothing but that, to those that come by its neighbours."""
    found = reach.of_module(module)
    if len(found) < FEW:
        for other in reach.lines:
            if Path(other).parent == Path(module).parent:
                found |= reach.of_module(other)
    return found


def _batches(
    tests: set[str], reach: Reach, first: AbstractSet[str] = frozenset()
) -> Iterator[list[str]]:
    """A few files of tests that are soon done, then the rest; in all no more than so many
    seconds, half of them at most for those to be asked `first`."""

    chosen = _within(MOST_SECONDS / 2, _in_turn(tests & first, reach), reach)
    left = MOST_SECONDS - reach.takes(chosen)
    chosen += _within(left, _in_turn(tests - set(chosen), reach), reach)
    by_file: dict[str, list[str]] = defaultdict(list)
    for test in chosen:
        by_file[test.partition("::")[0]].append(test)
    files = sorted(by_file, key=lambda file: _eagerness(by_file[file], reach, first))
    for some in (files[:FIRST_FILES], files[FIRST_FILES:]):
        chosen = [test for file in some for test in by_file[file]]
        if chosen:
            yield sorted(chosen, key=lambda one: reach.seconds[one])


def _in_turn(tests: set[str], reach: Reach) -> list[str]:
    """The quickest, then some of each file before more of any: those of one file are often alike.
    Where all that a test prints is compared, it notices more."""

    def worth(test: str) -> int:
        return WORTH_OF_WHOLE if test in on_record() else 1

    places: dict[str, int] = defaultdict(int)
    turns = []
    for test in sorted(tests, key=lambda one: (reach.seconds[one] / worth(one), one)):
        file = test.partition("::")[0]
        turn = 0 if reach.seconds[test] < QUICK else places[file] // (2 * worth(test))
        turns.append((turn, len(turns), test))
        places[file] += 1
    return [test for _, _, test in sorted(turns)]


def _within(seconds: float, tests: Iterable[str], reach: Reach) -> list[str]:
    """The first of some tests, as many as are done in time."""
    found = []
    for test in tests:
        seconds -= reach.seconds[test]
        if seconds < 0:
            break
        found.append(test)
    return found


def _eagerness(tests: list[str], reach: Reach, first: AbstractSet[str]) -> tuple[bool, float]:
    return not any(test in first for test in tests), reach.takes(tests)


def _fails(path: Path, text: str, tests: list[str], seconds: float) -> bool:
    """Whether one of these tests fails with this text for the module, or never ends."""
    folder = tempfile.mkdtemp(prefix="velpin-fault-", dir=_memory())
    os.chmod(folder, 0o755)  # a package that others may not read is run in another way
    child = os.fork()
    if child == 0:
        code = 1
        try:
            os.setsid()
            code = _run(path, text, tests, folder)
        finally:
            os._exit(code)
    deadline = time.monotonic() + 30 + 6 * seconds
    try:
        while time.monotonic() < deadline:
            ended, status = os.waitpid(child, os.WNOHANG)
            if ended:
                return _means_noticed(os.waitstatus_to_exitcode(status))
            time.sleep(0.02)
        return True
    finally:
        with contextlib.suppress(ProcessLookupError):
            os.killpg(child, signal.SIGKILL)
        with contextlib.suppress(ChildProcessError):
            os.waitpid(child, 0)
        shutil.rmtree(folder, ignore_errors=True)


def _means_noticed(code: int) -> bool:
    """What an exit code of the test runner says: killed, a failure, a module that cannot be read."""
    if code not in (0, 1, 2) and code >= 0:
        raise RuntimeError(f"the test runner ended with {code}")
    return code != 0


def control(reach: Reach) -> None:
    """Make sure that tests pass here where nothing is wrong; RuntimeError with those that do not."""
    some = min(reach.lines, key=lambda module: abs(len(reach.of_module(module)) - 300))
    for module, tests in (
        (some, reach.of_module(some)),
        ("apart.py", _elsewhere("apart.py", reach)),
    ):
        path = PACKAGE / module
        text = path.read_text()
        for batch in _batches(tests, reach):
            if _fails(path, text, batch, reach.takes(batch)):
                alone = [one for one in batch if _fails(path, text, [one], reach.takes([one]))]
                names = ", ".join(alone) or f"some of {', '.join(batch)} together"
                raise RuntimeError(f"tests fail though nothing is wrong: {names}")


def _elsewhere(module: str, reach: Reach) -> set[str]:
    return {test for test in reach.seconds if test.startswith(ELSEWHERE.get(module, ()))}


def _memory() -> str | None:
    return "/dev/shm" if os.access("/dev/shm", os.W_OK) else None


def _run(path: Path, text: str, tests: list[str], folder: str) -> int:
    resource.setrlimit(resource.RLIMIT_AS, (LARGEST, LARGEST))
    nothing = os.open(os.devnull, os.O_RDWR)
    for handle in (0, 1, 2):
        os.dup2(nothing, handle)
    os.chdir(ROOT)
    _replace(path, text)
    os.environ["PYTHONPATH"] = str(_package_with(path, text, Path(folder)))
    files = sorted({str(ROOT / test.partition("::")[0]) for test in tests})
    words = [
        "-q", "-x", "-n", "0", "-m", "not slow or full", "-p", "no:cacheprovider", "--tb", "no",
        "--hypothesis-seed", "1", "--basetemp", f"{folder}/tests", *files,
    ]  # fmt: skip
    return int(pytest.main(words, plugins=[_Only(tests)]))


def _replace(path: Path, text: str) -> None:
    """Have one module read as this text."""
    own = importlib.machinery.SourceFileLoader.get_code

    def get_code(loader: Any, name: str) -> CodeType | None:
        if Path(loader.path) == path:
            return compile(text, str(path), "exec", dont_inherit=True)
        return own(loader, name)

    importlib.machinery.SourceFileLoader.get_code = get_code  # type: ignore[method-assign]


def _package_with(path: Path, text: str, folder: Path) -> Path:
    """Where a package with this text for a module lies; all else in it is linked."""
    place = folder / "package"
    shutil.copytree(PACKAGE, place / PACKAGE.name, copy_function=os.symlink)
    faulty = place / path.relative_to(PACKAGE.parent)
    faulty.unlink()
    faulty.write_text(text)
    return place


class _Only:
    """Runs these tests alone, in this order, and keeps no example that failed."""

    def __init__(self, tests: list[str]) -> None:
        self._order = {name: at for at, name in enumerate(tests)}

    @pytest.hookimpl(trylast=True)
    def pytest_configure(self) -> None:
        """Examples that failed with a fault are none of the tests'."""
        from hypothesis import settings

        settings.register_profile("faults", deadline=None, max_examples=25, database=None)
        settings.load_profile("faults")

    @pytest.hookimpl(trylast=True)
    def pytest_collection_modifyitems(self, items: list[pytest.Item]) -> None:
        """Those that were asked for, the quickest first."""
        items[:] = [one for one in items if one.nodeid in self._order]
        items.sort(key=lambda one: self._order[one.nodeid])
