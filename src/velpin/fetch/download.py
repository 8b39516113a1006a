"""Fetching one file from a repository: http, https, file.

Every fetch is bounded in size and time, asked again after a failure with growing pauses,
and continued where it broke off when the server allows it. What arrives is written beside
its target and takes its place only when it is whole. Whether it is also *right* is for the
caller to check before using it.
"""

from __future__ import annotations

import contextlib
import os
import threading
import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import partial
from pathlib import Path
from typing import IO, TYPE_CHECKING, Any, NamedTuple
from urllib.parse import unquote, urlsplit

from velpin.errors import CannotWrite, ChecksumMismatch, FetchError, HostFileError, NotThere
from velpin.files.disk import open_again, open_new, open_plain, temporary_for
from velpin.files.text import whole_number
from velpin.files.tree import Tree
from velpin.model.safe_text import bare_address
from velpin.version import __version__

if TYPE_CHECKING:
    import urllib3

    from velpin.apart import Handles

_CHUNK = 1 << 16
_LONGEST_PAUSE = 60.0
_BROKEN = (ValueError, UnicodeError, LookupError)
"""What the libraries raise for answers and addresses that are none."""
_REDIRECTS = 8

Progress = Callable[[str, int, int], None]
"""Told after each piece: what is fetched, bytes so far, bytes in all (0 where unknown)."""


class Login(NamedTuple):
    """A name and password for addresses of one host and path."""

    scheme: str
    host: str
    path: str
    name: str
    password: str

    def fits(self, scheme: str, host: str, path: str) -> bool:
        """Whether it is meant for an address, given in parts (host with its port)."""
        return (scheme, host) == (self.scheme, self.host) and _is_inside(path, self.path)


def _is_inside(path: str, folder: str) -> bool:
    return path == folder or path.startswith(folder.rstrip("/") + "/")


class Certificates(NamedTuple):
    """What an https source asks for beside a login, for its address and all below: files,
    empty where there is none."""

    address: str
    own: str = ""
    """The certificate that this host shows."""
    key: str = ""
    authority: str = ""
    """Whom its server's certificate must be of; else whom this host trusts."""

    def fit(self, url: str) -> bool:
        """Whether they are meant for an address."""
        asked, mine = urlsplit(url), urlsplit(self.address)
        same = (asked.scheme, asked.netloc) == (mine.scheme, mine.netloc)
        return same and _is_inside(asked.path, mine.path)


@dataclass(frozen=True, slots=True)
class FetchSettings:
    """How to fetch; times in seconds."""

    connect_timeout: float = 15.0
    read_timeout: float = 30.0
    file_timeout: float = 3600.0
    """For one file with all its retries, however slowly it comes."""
    retries: int = 3
    pause: float = 0.5
    """Before the first new try; doubled for each further one."""
    at_once: int = 6
    largest: int = 8 << 30
    """No file may be larger, in bytes, whatever is promised of it."""
    largest_release: int = 64 << 20
    """No release file or key may be larger, in bytes."""
    proxies: Mapping[str, str] = field(default_factory=dict)
    """Proxy address by scheme; the environment's where a scheme is not named."""
    logins: Sequence[Login] = ()
    """Logins for private sources; one in the address itself goes first."""
    certificates: Sequence[Certificates] = ()


_HEADERS = {"User-Agent": f"velpin/{__version__}", "Accept-Encoding": "identity"}
_HASTY = 5.0
"""Seconds, for a server that is only asked whether it has something."""


class Got(NamedTuple):
    """What a fetch gave; `fresh` is False where the server says nothing has changed."""

    fresh: bool
    size: int
    validators: dict[str, str]
    """etag and last_modified, to be handed in the next time."""


class _Again(Exception):
    """Worth another try."""


class _FetchJob(NamedTuple):
    """One file to be fetched by http: its exact size where it is known, the largest allowed."""

    url: str
    size: int
    bound: int
    validators: dict[str, str]


class _Part:
    """An open file that what is fetched is written to."""

    def __init__(self, handle: int) -> None:
        self._handle = handle

    def size(self) -> int:
        """How much it holds."""
        return os.fstat(self._handle).st_size

    def clear(self) -> None:
        """Empty it."""
        os.ftruncate(self._handle, 0)

    def write(self, data: bytes) -> None:
        """Put more at its end; CannotWrite where there is no room."""
        try:
            os.lseek(self._handle, 0, os.SEEK_END)
            while data:
                data = data[os.write(self._handle, data) :]
        except OSError as problem:
            raise CannotWrite(f"what is fetched: {problem.strerror}") from problem


def _fetched_apart(settings: FetchSettings, job: _FetchJob, handles: Handles) -> list[Any]:
    """A fetch as a process without rights does it."""
    transport = Transport(settings, lambda _label, done, total: handles.progress(done, total))
    return list(transport.fetch_into(job, _Part(handles.files["part"]), ""))


def _beginning_apart(settings: FetchSettings, url: str, size: int, handles: Handles) -> None:
    Transport(settings).beginning_into(url, size, _Part(handles.files["part"]))


class Transport:
    """Fetches files; one for a whole run, used by several threads.

    `files` is the host whose files `file:` addresses mean: they lie below its root, whatever links
    are there. Without one they mean this machine's own.
    """

    def __init__(
        self,
        settings: FetchSettings | None = None,
        progress: Progress | None = None,
        wait: Callable[[float], None] = time.sleep,
        clock: Callable[[], float] = time.monotonic,
        *,
        files: Tree | None = None,
    ) -> None:
        self.settings = settings or FetchSettings()
        self._files = files
        self._progress = progress or (lambda _name, _done, _total: None)
        self._wait = wait
        self._clock = clock
        self._pools: dict[tuple[str, Certificates | None], urllib3.PoolManager] = {}
        self._lock = threading.Lock()

    def with_access(
        self, logins: Sequence[Login], certificates: Sequence[Certificates]
    ) -> Transport:
        """The same with the logins and certificates of a host as it would be."""
        return self._with(replace(self.settings, logins=logins, certificates=certificates))

    def with_files(self, files: Tree) -> Transport:
        """The same where `file:` addresses mean files below another root, untold."""
        return Transport(self.settings, None, self._wait, self._clock, files=files)

    def hasty(self) -> Transport:
        """The same with little patience for a server that does not answer."""
        settings = replace(
            self.settings, connect_timeout=min(_HASTY, self.settings.connect_timeout),
            read_timeout=min(_HASTY, self.settings.read_timeout), retries=0,
        )  # fmt: skip
        return self._with(settings)

    def _with(self, settings: FetchSettings) -> Transport:
        return Transport(settings, self._progress, self._wait, self._clock, files=self._files)

    def get(
        self,
        url: str,
        target: Path,
        *,
        label: str = "",
        size: int = 0,
        most: int = 0,
        validators: Mapping[str, str] | None = None,
    ) -> Got:
        """Fetch `url` to `target`.

        `size` is the exact number of bytes where it is known, `most` the largest allowed.
        Raises NotThere (the server has no such file), FetchError (no answer, or the wrong
        kind), ChecksumMismatch (more bytes than promised), CannotWrite (no room).
        """
        bound = size or most or self.settings.largest_release
        if bound > self.settings.largest:
            raise ChecksumMismatch(
                f"{bare_address(url)}: {bound} bytes promised, {self.settings.largest} are allowed"
            )
        scheme = _scheme(url)
        if scheme in ("file", "copy"):
            return self._copy(url, target, label or url, bound, validators or {})
        if scheme not in ("http", "https"):
            raise FetchError(
                f"{bare_address(url)}: addresses with {scheme}: cannot be fetched",
                "velpin uses the copy that the host's installer has",
            )
        return self._get_http(url, target, label or url, size, bound, validators or {})

    def read(self, url: str, *, most: int = 0) -> bytes:
        """Fetch a small file and return it."""
        import tempfile

        with tempfile.TemporaryDirectory(prefix="velpin-") as folder:
            target = Path(folder) / "file"
            self.get(url, target, most=most)
            return target.read_bytes()

    def read_beginning(self, url: str, size: int) -> bytes:
        """The first `size` bytes of a file, fewer of one that is shorter; no more is fetched, also
        from a server that would send the whole. Raises NotThere, FetchError."""
        if _scheme(url) in ("file", "copy"):
            with self._plain_file(url) as file:
                return file.read(size)
        import tempfile

        from velpin import apart

        with tempfile.TemporaryFile() as into:
            part = _Part(into.fileno())
            try:
                if apart.keep() is None:
                    self.beginning_into(url, size, part)
                else:
                    work = partial(_beginning_apart, self.settings, url, size)
                    apart.run(work, {"part": into.fileno()})
            except apart.Stopped:
                raise FetchError(f"{bare_address(url)}: fetching it was stopped") from None
            into.seek(0)
            return into.read(size)

    def beginning_into(self, url: str, size: int, part: _Part) -> None:
        """Fetch the beginning of a file into one that is open; FetchError where that fails."""
        import urllib3

        last: Exception | None = None
        for turn in range(self.settings.retries + 1):
            if turn:
                self._wait(min(self.settings.pause * 2 ** (turn - 1), _LONGEST_PAUSE))
            try:
                part.write(self._beginning_http(url, size))
                return
            except (_Again, urllib3.exceptions.HTTPError, *_BROKEN) as problem:
                last = problem
                if _is_hopeless(problem):
                    break
        raise FetchError(f"{bare_address(url)}: {_said(last)}") from last

    def _beginning_http(self, url: str, size: int) -> bytes:
        answer = self._ask(url, {**_HEADERS, "Range": f"bytes=0-{size - 1}"})
        try:
            if answer.status != 206:
                self._check_status(url, answer, 0, None)
            deadline = self._clock() + self.settings.read_timeout * 2
            found = b""
            while len(found) < size and (piece := answer.read1(min(_CHUNK, size - len(found)))):
                found += piece
                if self._clock() > deadline:
                    raise FetchError(f"{bare_address(url)}: its beginning took too long")
            return found
        finally:
            answer.close()

    # -- file ----------------------------------------------------------------------------

    @contextlib.contextmanager
    def _plain_file(self, url: str) -> Iterator[IO[bytes]]:
        """The plain file that a `file:` address means, open; NotThere, FetchError."""
        path = file_path(url)
        base, name = self._place_of(path)
        try:
            with open_plain(base, name) as file:
                yield file
        except (FileNotFoundError, NotADirectoryError) as problem:
            raise NotThere(f"{bare_address(url)}: no such file{self._below()}") from problem
        except ValueError as problem:
            raise FetchError(f"{bare_address(url)}: is no address") from problem
        except OSError as problem:
            raise FetchError(f"{bare_address(url)}: {problem.strerror}") from problem

    def _place_of(self, path: str) -> tuple[Path, str]:
        """Below which folder the file of an address lies, and its name there without any link."""
        try:
            if self._files is None:
                return Path("/"), os.path.realpath(path)[1:]
            beside = _beside(self._files.root, path)
            if beside and not os.path.exists(self._files.path(path)):
                return beside, os.path.relpath(os.path.realpath(path), beside)
            return self._files.root, self._files.resolved(path)
        except (ValueError, HostFileError) as problem:
            raise FetchError(f"{path}: is no address") from problem

    def _below(self) -> str:
        """Says where a `file:` address was looked for, unless that is plain."""
        root = self._files.root if self._files else Path("/")
        return "" if root == Path("/") else f" below {root}"

    def folders(self, url: str) -> list[str]:
        """Names of the folders in the folder that a `file:` address means."""
        base, name = self._place_of(file_path(url))
        try:
            return Tree(base).folders(name)
        except HostFileError:
            return []

    def _copy(
        self, url: str, target: Path, label: str, bound: int, validators: Mapping[str, str]
    ) -> Got:
        with self._plain_file(url) as file:
            found = os.fstat(file.fileno())
            stamp = f"{found.st_mtime_ns} {found.st_size}"
            if validators.get("last_modified") == stamp:
                return Got(False, 0, dict(validators))
            if found.st_size > bound:
                raise ChecksumMismatch(
                    f"{bare_address(url)}: {found.st_size} bytes, {bound} are allowed"
                )
            data = file.read(bound + 1)
        _put(target, data)
        self._progress(label, len(data), found.st_size)
        return Got(True, len(data), {"last_modified": stamp})

    # -- http ----------------------------------------------------------------------------

    def _get_http(
        self,
        url: str,
        target: Path,
        label: str,
        size: int,
        bound: int,
        validators: Mapping[str, str],
    ) -> Got:
        """Fetch by a process without rights where there is one, into a file that is opened here;
        a key of this host's own that must be shown is not handed to it."""
        path = target.with_name(target.name + ".part")
        if not size:
            with contextlib.suppress(OSError):
                path.unlink(missing_ok=True)
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            with open_again(path, more=bool(size)) as file:
                job = _FetchJob(url, size, bound, dict(validators))
                if any(given.fit(url) for given in self.settings.certificates):
                    got = self.fetch_into(job, _Part(file.fileno()), label)
                else:
                    got = self._fetch_apart(job, file.fileno(), label)
        except OSError as problem:
            raise CannotWrite(f"{path}: {problem.strerror}") from problem
        except (ChecksumMismatch, NotThere):
            with contextlib.suppress(OSError):
                path.unlink(missing_ok=True)
            raise
        if got.fresh:
            _rename(path, target)
        else:
            with contextlib.suppress(OSError):
                path.unlink(missing_ok=True)
        return got

    def _fetch_apart(self, job: _FetchJob, handle: int, label: str) -> Got:
        from velpin import apart

        def told(done: int, total: int) -> None:
            self._progress(label, done, total)

        if apart.keep() is None:
            return self.fetch_into(job, _Part(handle), label)
        try:
            found = apart.run(partial(_fetched_apart, self.settings, job), {"part": handle}, told)
        except apart.Stopped:
            raise FetchError(f"{bare_address(job.url)}: fetching it was stopped") from None
        fresh, size, validators = found
        return Got(bool(fresh), int(size), {str(k): str(v) for k, v in dict(validators).items()})

    def fetch_into(self, job: _FetchJob, part: _Part, label: str) -> Got:
        """Fetch a file into one that is open, going on from what it holds already.

        Raises NotThere, ChecksumMismatch for more bytes than promised, else FetchError.
        """
        import urllib3

        deadline = self._clock() + self.settings.file_timeout
        last: Exception | None = None
        for turn in range(self.settings.retries + 1):
            if turn:
                self._wait(min(self.settings.pause * 2 ** (turn - 1), _LONGEST_PAUSE))
            if self._clock() > deadline:
                break
            try:
                return self._try_http(job, part, label, deadline)
            except (_Again, urllib3.exceptions.HTTPError, *_BROKEN) as problem:
                last = problem
                if _is_hopeless(problem):
                    break
        raise FetchError(f"{bare_address(job.url)}: {_said(last)}") from last

    def _try_http(self, job: _FetchJob, part: _Part, label: str, deadline: float) -> Got:
        url, size, bound, validators = job
        have = part.size() if size else 0
        if have >= size:
            have = 0
        headers = dict(_HEADERS)
        if have:
            headers["Range"] = f"bytes={have}-"
        elif validators.get("etag"):
            headers["If-None-Match"] = validators["etag"]
        elif validators.get("last_modified"):
            headers["If-Modified-Since"] = validators["last_modified"]
        answer = self._ask(url, headers)
        try:
            if answer.status == 304:
                if not headers.keys() & {"If-None-Match", "If-Modified-Since"}:
                    raise _Again("the server says that nothing changed, which nobody asked")
                return Got(False, 0, dict(validators))
            have = self._check_status(url, answer, have, part)
            total = size or have + _announced(answer.headers.get("Content-Length"))
            if total > bound:
                raise ChecksumMismatch(
                    f"{bare_address(url)}: {total} bytes announced, {bound} are allowed"
                )
            done = self._take(answer, part, label, have, total, bound, url, deadline)
        finally:
            answer.close()
        if size and done < size:
            raise _Again(f"only {done} of {size} bytes came")
        kept = {
            "etag": answer.headers.get("ETag"),
            "last_modified": answer.headers.get("Last-Modified"),
        }
        return Got(True, done, {name: value for name, value in kept.items() if value})

    def _check_status(
        self, url: str, answer: urllib3.BaseHTTPResponse, have: int, part: _Part | None
    ) -> int:
        """Where to go on writing; raises for answers that are none."""
        status = answer.status
        if status == 206 and have:
            said = answer.headers.get("Content-Range", "")
            if said.startswith(f"bytes {have}-"):
                return have
            if part is not None:
                part.clear()
            raise _Again("the server continued at another place")
        if status == 416:
            if part is not None:
                part.clear()
            raise _Again("the server could not continue")
        if status == 200:
            return 0
        if status in (404, 410):
            raise NotThere(f"{bare_address(url)}: the server has no such file ({status})")
        if status in (401, 403, 407):
            raise FetchError(f"{bare_address(url)}: the server does not let us in ({status})")
        if status >= 500 or status in (408, 425, 429):
            raise _Again(f"the server answered {status}")
        raise FetchError(f"{bare_address(url)}: the server answered {status}")

    def _take(
        self,
        answer: urllib3.BaseHTTPResponse,
        part: _Part,
        label: str,
        done: int,
        total: int,
        bound: int,
        url: str,
        deadline: float,
    ) -> int:
        if not done:
            part.clear()
        # What came before a break is kept, so it is read as it comes.
        while piece := answer.read1(_CHUNK):
            done += len(piece)
            if done > bound:
                part.clear()
                raise ChecksumMismatch(
                    f"{bare_address(url)}: sends more than the {bound} bytes promised"
                )
            if self._clock() > deadline:
                raise FetchError(
                    f"{bare_address(url)}: not there after"
                    f" {self.settings.file_timeout:g} seconds ({done} bytes came)",
                    "etc/velpin/velpin.toml: [refresh] file_timeout = SECONDS allows more",
                )
            part.write(piece)
            self._progress(label, done, total)
        return done

    def _ask(self, url: str, headers: dict[str, str]) -> urllib3.BaseHTTPResponse:
        import urllib3

        parts = urlsplit(url)
        host = parts.netloc.rpartition("@")[2]
        fitting = (
            login for login in self.settings.logins if login.fits(parts.scheme, host, parts.path)
        )
        if parts.username:
            login = f"{unquote(parts.username)}:{unquote(parts.password or '')}"
            headers |= urllib3.util.make_headers(basic_auth=login)
            url = url.replace(parts.netloc, host, 1)
        elif (known := next(fitting, None)) is not None:
            headers |= urllib3.util.make_headers(basic_auth=f"{known.name}:{known.password}")
        asked = url
        for _ in range(_REDIRECTS):
            answer = self._pool(asked).request(
                "GET",
                asked,
                headers=headers,
                preload_content=False,
                redirect=False,
                retries=False,
                timeout=urllib3.Timeout(
                    connect=self.settings.connect_timeout, read=self.settings.read_timeout
                ),
            )
            onward = answer.get_redirect_location()
            if not onward:
                return answer
            answer.close()
            asked = _redirected(asked, str(onward), headers)
        raise FetchError(f"{bare_address(url)}: redirected more than {_REDIRECTS} times")

    def _pool(self, url: str) -> urllib3.PoolManager:
        import urllib3

        proxy, shown = self._proxy(url), self._certificates(url)
        with self._lock:
            if (proxy, shown) not in self._pools:
                size = max(self.settings.at_once, 1)
                given: dict[str, Any] = {}
                if shown:
                    names = ("cert_file", "key_file", "ca_certs")
                    given = {n: file for n, file in zip(names, shown[1:], strict=True) if file}
                self._pools[proxy, shown] = (
                    urllib3.ProxyManager(proxy, maxsize=size, **given)
                    if proxy
                    else urllib3.PoolManager(maxsize=size, **given)
                )
            return self._pools[proxy, shown]

    def _certificates(self, url: str) -> Certificates | None:
        """What is shown to the server of an address; FetchError where a file of it is missing."""
        found = next((given for given in self.settings.certificates if given.fit(url)), None)
        for file in found[1:] if found else ():
            if file and not os.path.isfile(file):
                raise FetchError(f"{bare_address(url)}: its certificate or key {file} is not there")
        return found

    def _proxy(self, url: str) -> str:
        from urllib.request import getproxies, proxy_bypass

        parts = urlsplit(url)
        configured = self.settings.proxies.get(parts.scheme)
        if configured is not None:
            return "" if configured.upper() == "DIRECT" else configured
        if parts.hostname and proxy_bypass(parts.netloc.rpartition("@")[2]):
            return ""
        environment = getproxies()
        return environment.get(parts.scheme) or environment.get("all") or ""


def _scheme(url: str) -> str:
    try:
        return urlsplit(url).scheme
    except ValueError as problem:
        raise FetchError(f"{bare_address(url)}: is no address") from problem


def _announced(text: str | None) -> int:
    """The size that a server announces, 0 where it announces none that can be."""
    return whole_number((text or "").strip()) or 0


def file_path(url: str) -> str:
    """The path of a `file:` address."""
    rest = url.partition(":")[2]
    if rest.startswith("//"):
        rest = "/" + rest[2:].partition("/")[2]
    return unquote(rest)


def _beside(root: Path, path: str) -> Path | None:
    """The folder that holds a host's root, where an address means a file beside the root.

    A host that is being put together in a folder of its own often has its repositories beside it;
    its installer, told of another root, reads them there. That counts only for a root that is no
    mounted file system, in a folder that nobody else may write to.
    """
    folder = root.parent
    if folder in (root, folder.parent) or os.path.ismount(root):
        return None
    status = folder.stat()
    if status.st_uid != os.geteuid() or status.st_mode & 0o022:
        return None
    place = Path(os.path.realpath(path))
    return folder if place.is_relative_to(folder) and not place.is_relative_to(root) else None


def _redirected(asked: str, onward: str, headers: dict[str, str]) -> str:
    from urllib.parse import urljoin

    try:
        target = urljoin(asked, onward)
        before, after = urlsplit(asked), urlsplit(target)
    except ValueError as problem:
        raise FetchError(
            f"{bare_address(asked)}: redirected to {onward[:200]!r}, which is no address"
        ) from problem
    if after.scheme not in ("http", "https"):
        raise FetchError(
            f"{bare_address(asked)}: redirected to {bare_address(target)}, which is no web address"
        )
    if before.scheme == "https" and after.scheme != "https":
        raise FetchError(
            f"{bare_address(asked)}: redirected from https to {bare_address(target)}; not followed"
        )
    if before.netloc != after.netloc:
        headers.pop("authorization", None)
    return target


def _is_hopeless(problem: Exception) -> bool:
    import urllib3

    known = (
        urllib3.exceptions.LocationParseError,
        urllib3.exceptions.SSLError,
        urllib3.exceptions.NameResolutionError,
    )
    return isinstance(problem, (*known, *_BROKEN))


def _said(problem: Exception | None) -> str:
    """A foreign error in our words: the one place where they are translated."""
    import urllib3

    known: tuple[tuple[type[Exception], str], ...] = (
        (urllib3.exceptions.NameResolutionError, "its machine's name is not known"),
        (urllib3.exceptions.ConnectTimeoutError, "no connection in time"),
        (urllib3.exceptions.ReadTimeoutError, "no answer in time"),
        (urllib3.exceptions.SSLError, "its certificate is not accepted"),
        (urllib3.exceptions.ProxyError, "the proxy does not answer"),
        (urllib3.exceptions.NewConnectionError, "no connection"),
        (urllib3.exceptions.IncompleteRead, "the connection broke off"),
        (urllib3.exceptions.ProtocolError, "the connection broke off"),
        (urllib3.exceptions.LocationParseError, "is no address"),
        (urllib3.exceptions.HTTPError, "cannot be fetched"),
        (ValueError, "is no address, or what came is no answer"),
        (LookupError, "what came is no answer"),
    )
    if isinstance(problem, _Again):
        return str(problem)
    for kind, text in known:
        if isinstance(problem, kind):
            return text
    return f"cannot be fetched ({type(problem).__name__})"


def _put(target: Path, data: bytes) -> None:
    part = temporary_for(target)
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        with open_new(part) as file:
            file.write(data)
        os.replace(part, target)
    except OSError as problem:
        with contextlib.suppress(OSError):
            part.unlink(missing_ok=True)
        raise CannotWrite(f"{target}: {problem.strerror}") from problem


def _rename(part: Path, target: Path) -> None:
    try:
        os.replace(part, target)
    except OSError as problem:
        raise CannotWrite(f"{target}: {problem.strerror}") from problem
