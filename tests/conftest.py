"""Small made-up hosts and repositories on disk, and the program run upon them."""

from __future__ import annotations

import io
import os
import secrets
import shutil
import time
from collections.abc import Generator, Iterator, Mapping, Sequence
from pathlib import Path

import pytest
from hypothesis import settings

from tests import answers
from tests.checkup_hosts import Post
from tests.host_files import host_files
from tests.program import Said, run_on
from velpin import apart
from velpin.core.host import Host
from velpin.core.opening import open_host
from velpin.demo.build import stanza, text_of, write_repository
from velpin.demo.serve import served
from velpin.demo.signer import Signer, new_signer
from velpin.fetch.download import FetchSettings, Transport
from velpin.files.tree import Tree
from velpin.kinds.deb.adapter import DebAdapter
from velpin.kinds.deb.refresh import DebRefreshed, refresh_source
from velpin.store.cache import open_cache

NOW = time.time()

# A busy machine fails no test: no deadlines. Daily work draws fewer examples.
settings.register_profile("all", deadline=None)
settings.register_profile("daily", deadline=None, max_examples=25)
settings.load_profile("all")


class Harbour:
    """One made-up host below a folder, with the repositories its sources point to."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.root = folder / "root"
        self.put("etc/os-release", 'ID=mooring\nVERSION_ID="4"\nVERSION_CODENAME=jetty\n')
        self.put("var/lib/dpkg/arch", "amd64\ni386\n")
        self.put("var/lib/dpkg/status", "")

    def put(self, name: str, text: str | bytes) -> Path:
        """Write a file of the host."""
        path = self.root / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(text.encode() if isinstance(text, str) else text)
        return path

    def read(self, name: str) -> str:
        """A file of the host."""
        return (self.root / name).read_text()

    def repository(
        self,
        name: str,
        offers: Sequence[Mapping[str, str] | tuple[str, str]],
        *,
        suite: str = "jetty",
        section: str = "main",
        signer: Signer | None = None,
        fields: Mapping[str, str] | None = None,
        date: float | None = None,
        by_hash: bool = False,
        archs: Sequence[str] = ("amd64",),
    ) -> str:
        """Write one suite of a repository; gives its address."""
        rows = [offer(*one) if isinstance(one, tuple) else one for one in offers]
        head = {"Origin": name, "Suite": suite, "Codename": suite, **(fields or {})}
        write_repository(
            self.folder / "repos" / name,
            suite,
            {"" if suite.endswith("/") else section: rows},
            signer,
            head,
            archs=archs,
            by_hash=by_hash,
            date=date,
        )
        return f"file://{self.folder}/repos/{name}"

    def source(self, name: str, address: str, suite: str = "jetty", **options: str) -> None:
        """A one-line source of the host, trusted where nothing else is said."""
        named = " ".join(f"{key.replace('_', '-')}={value}" for key, value in options.items())
        section = "" if suite.endswith("/") else " main"
        line = f"deb [{named or 'trusted=yes'}] {address} {suite}{section}\n"
        self.put(f"etc/apt/sources.list.d/{name}.list", line)

    def simple(self, name: str, *offers: tuple[str, str], **fields: str) -> None:
        """A trusted source with some offers of default shape."""
        self.source(name, self.repository(name, offers, fields=fields))

    def installed(self, *packages: tuple[str, str] | tuple[str, str, str]) -> None:
        """The host's record: name, version and (by default installed) state of each package."""
        rows = []
        for name, version, *state in packages:
            row = offer(name, version)
            for field in ("Size", "Filename", "SHA256"):
                row.pop(field)
            status = state[0] if state else "install ok installed"
            rows.append({"Package": row.pop("Package"), "Status": status, **row})
        self.put("var/lib/dpkg/status", text_of(rows))

    def host(self, *, as_is: bool = False) -> Host:
        """The host, read anew."""
        return open_host(self.root, as_is=as_is)

    def adapter(self) -> DebAdapter:
        """What is read of it."""
        tree = Tree(self.root)
        return DebAdapter(tree, open_cache(tree))

    def refresh(self, now: float | None = None) -> dict[str, DebRefreshed]:
        """Fetch all sources that are on, without any pause."""
        host = self.adapter()
        transport = Transport(FetchSettings(retries=0), wait=lambda _seconds: None)
        return {
            source.handle: refresh_source(host, source, transport, lambda: now or time.time())
            for source in host.sources
            if source.on
        }

    def ready_adapter(self) -> DebAdapter:
        """What is read of it after a refresh that must succeed."""
        self.ready()
        return self.adapter()

    def ready(self) -> Host:
        """The host after a refresh that must succeed."""
        for one in self.refresh().values():
            assert one.error is None, one.error
        return self.host()

    def run(self, *words: str) -> Said:
        """Run the program on this host, with nobody at the terminal."""
        return run_on(self.root, *words)

    def bytes(self) -> dict[str, bytes]:
        """Every file of the host but Velpin's own."""
        return {name: path.read_bytes() for name, path in host_files(self.root) if path.is_file()}


def offer(name: str, version: str, arch: str = "amd64", **fields: str) -> dict[str, str]:
    """One entry of an index."""
    made = stanza(name, version, arch, f"{name} for the harbour")
    return {**made, **{key.replace("_", "-"): value for key, value in fields.items()}}


@pytest.fixture
def harbour(tmp_path: Path) -> Harbour:
    """An empty made-up host."""
    return Harbour(tmp_path)


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
    """Daily tests whose examples are not drawn, and that have not failed already."""
    drawn = getattr(request.function, "is_hypothesis_test", False)
    slow = request.node.get_closest_marker("slow") is not None
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
def _no_terminal(monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    monkeypatch.setattr("sys.stdin", io.StringIO(""))
    for name in ("http_proxy", "https_proxy", "all_proxy", "no_proxy"):
        monkeypatch.delenv(name, raising=False)
        monkeypatch.delenv(name.upper(), raising=False)
    return


def pytest_configure(config: pytest.Config) -> None:
    """Daily work leaves out what is slow. Nothing is done apart in the process of a test, where clocks
    and files are stood in for: `test_apart` and the campaigns do that in processes of their own."""
    apart.is_allowed = False
    if config.option.markexpr == "not slow":
        settings.load_profile("daily")
        # It does not wait for the disk either: nothing is synced, and folders are in memory.
        os.fsync = lambda _file: None
        if os.access("/dev/shm", os.W_OK):
            os.environ.setdefault("PYTEST_DEBUG_TEMPROOT", "/dev/shm")


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """What asks real installers or goes through recorded and drawn hosts is slow."""
    for item in items:
        folder = item.path.parent.name
        if folder in ("installer", "agreement") or item.path.name == "test_drawn_rules.py":
            item.add_marker(pytest.mark.slow)
