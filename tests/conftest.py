"""Small made-up hosts and repositories on disk, and the program run upon them."""

from __future__ import annotations

import io
import os
import secrets
import shutil
import time
from collections.abc import Generator, Iterator
from pathlib import Path

import pytest
from hypothesis import settings

from tests import answers
from tests.checkup_hosts import Post
from tests.harbours import DebHarbour
from velpin import apart
from velpin.demo.serve import served
from velpin.demo.signer import Signer, new_signer
from velpin.fetch import download

NOW = time.time()

# A busy machine fails no test: no deadlines. Daily work draws fewer examples.
settings.register_profile("all", deadline=None)
settings.register_profile("daily", deadline=None, max_examples=25)
settings.load_profile("all")


@pytest.fixture
def harbour(tmp_path: Path) -> DebHarbour:
    """An empty made-up host."""
    return DebHarbour(tmp_path)


@pytest.fixture(scope="session")
def signer() -> Signer:
    """A key of a vendor."""
    return new_signer("Gullwatch Packages <packages@gullwatch.example>")


@pytest.fixture(scope="session")
def stranger() -> Signer:
    """A key of someone else."""
    return new_signer("Somebody Else <post@stranger.example>")


@pytest.fixture(scope="session")
def home() -> Signer:
    """The key of the distribution."""
    return new_signer("Mooring Archive Key <archive@mooring.example>")


@pytest.fixture(scope="session")
def renewed() -> Signer:
    """Another key of the vendor."""
    return new_signer("Gullwatch Packages 2 <packages@gullwatch.example>")


@pytest.fixture
def post(
    request: pytest.FixtureRequest, tmp_path: Path, home: Signer, signer: Signer,
    monkeypatch: pytest.MonkeyPatch,
) -> Iterator[Post]:  # fmt: skip
    """A host with nothing wrong with it."""
    made = Post(request.param, tmp_path, home, signer)
    with served(made.www) as proxy:
        monkeypatch.setenv("http_proxy", proxy)
        yield made.refreshed()


@pytest.fixture
def tmp_path() -> Iterator[Path]:
    """A folder whose path is always of the same length: the layout of a table may depend on it."""
    base = "/dev/shm/moo-" if _in_memory() else "/tmp/mooring-"
    folder = Path(base + secrets.token_hex(4))
    folder.mkdir(mode=0o700)
    yield folder
    shutil.rmtree(folder, ignore_errors=True)


def _in_memory() -> bool:
    return os.environ.get("PYTEST_DEBUG_TEMPROOT") == "/dev/shm"


@pytest.fixture(autouse=True)
def _whole_answers(request: pytest.FixtureRequest, tmp_path: Path) -> Iterator[None]:
    """Hold all that the program says in a test against the record."""
    answers.begin()
    yield
    if _is_on_record(request) and (differs := answers.compare(request.node.nodeid)):
        pytest.fail("\n".join(differs), pytrace=False)


def _is_on_record(request: pytest.FixtureRequest) -> bool:
    """All but slow tests and those whose examples are drawn anew each time, if they have passed."""
    drawn = getattr(request.function, "is_hypothesis_test", False)
    marks = {mark.name for mark in request.node.iter_markers()}
    slow = "slow" in marks and "full" not in marks
    return not drawn and not slow and request.node.stash.get(_PASSED, False)


_PASSED = pytest.StashKey[bool]()


@pytest.hookimpl(wrapper=True)
def pytest_runtest_makereport(
    item: pytest.Item, call: pytest.CallInfo[None]
) -> Generator[None, pytest.TestReport, pytest.TestReport]:
    """Remember whether a test passed."""
    report = yield
    if call.when == "call":
        item.stash[_PASSED] = report.passed
    return report


@pytest.fixture(autouse=True)
def _no_terminal(request: pytest.FixtureRequest, monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    monkeypatch.setattr("sys.stdin", io.StringIO(""))
    if request.path.name != "test_download.py":  # nothing waits before it fetches again
        monkeypatch.setattr(download, "_LONGEST_PAUSE", 0.0)
    for name in ("http_proxy", "https_proxy", "all_proxy", "no_proxy"):
        monkeypatch.delenv(name, raising=False)
        monkeypatch.delenv(name.upper(), raising=False)
    return


def pytest_configure(config: pytest.Config) -> None:
    """Daily work leaves out what is slow. Nothing is done apart in the process of a test, where clocks
    and files are stood in for: `test_apart` and the campaigns do that in processes of their own."""
    apart.is_allowed = False
    if config.option.markexpr.startswith("not slow"):
        settings.load_profile("daily")
        # It does not wait for the disk either: nothing is synced, and folders are in memory.
        os.fsync = lambda _file: None
        if os.access("/dev/shm", os.W_OK):
            os.environ.setdefault("PYTEST_DEBUG_TEMPROOT", "/dev/shm")


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """What asks real installers or goes through recorded and drawn hosts is slow."""
    for item in items:
        folder = item.path.parent.name
        if (
            folder in ("installer", "agreement")
            or item.path.name == "test_drawn_rules.py"
            or item.get_closest_marker("full")
        ):
            item.add_marker(pytest.mark.slow)
