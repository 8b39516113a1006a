"""Work on what came from outside, in processes that have given up all rights.

    this process (often root's)     opens files, checks signatures, decides, writes
      `- the keeper                 forked once, before any thread: a user without rights, limits
           `- a worker              forked for each piece of work: hands back plain values as JSON

A worker can read what was opened for it, write into what was opened for it, and speak to the
network; a fault in what unpacks, parses or speaks TLS is a fault of a process that owns nothing.
What it hands back is JSON, never a pickle: the worker believes this process, not the other way
round.

Where no process can be forked (other threads run, a test forbids it), the work is done here as if
there were no keeper; `how` says which it is.
"""

from __future__ import annotations

import contextlib
import json
import os
import pickle
import resource
import signal
import socket
import stat
import sys
import threading
from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import Any, NoReturn

from velpin import errors

Work = Callable[["Handles"], Any]
"""A picklable piece of work; what it returns must be made of JSON's values."""
Progress = Callable[[int, int], None]

_MEMORY = 1 << 30
"""So many bytes of memory a worker may have beyond what it begins with."""
_SECONDS = 600
"""So much time of the processor a worker may take."""
_FILE = 8 << 30
"""No file that a worker writes may be larger, in bytes."""
_OPEN = 256
_USERS = ("_velpin", "nobody")
"""Users without rights, the first that there is."""
_MOST_HANDLES = 32
_NO_NEW_PRIVILEGES, _DUMPABLE = 38, 4
"""Numbers of prctl(2)."""
_LARGEST_ANSWER = 64 << 20
_PASSED_ON = ("HostFileError", "StoreError", "CannotWrite", "FetchError", "NotThere",
              "ChecksumMismatch", "BadKey")  # fmt: skip
"""Errors that are raised here as they were raised there."""


class Handles:
    """What a worker was given: open files by their names, and a way to tell how far it is."""

    def __init__(self, files: Mapping[str, int], progress: Progress) -> None:
        self.files, self.progress = files, progress


class Stopped(Exception):
    """A worker ended before it was done: it took too much memory or time, or was killed."""


is_allowed = True
"""Whether work may be done apart at all."""
_keeper: _Keeper | None = None
_why_not = ""


def how() -> str:
    """How what came from outside is read, for people."""
    keeper = keep()
    if keeper is None:
        return f"in this process ({_why_not})"
    return f"apart, as user {keeper.user}" if keeper.user else "apart, as this user, with limits"


def keep(*, network: bool = True) -> _Keeper | None:
    """The keeper of this process, begun now where that can be; None where it cannot.

    Without `network` it need not be one whose workers can speak to servers: what that takes is
    loaded by every new keeper, and takes longer than to read a small index.
    """
    global _keeper, _why_not  # noqa: PLW0603 - one for each process
    if _keeper is not None and _keeper.owner == os.getpid() and (_keeper.network or not network):
        return _keeper
    if not is_allowed:
        _why_not = "doing it apart is switched off"
    elif threading.active_count() > 1:
        _why_not = "other threads run"
    elif sys.platform != "linux":
        _why_not = "this system has other means"
    elif os.geteuid() == 0 and (place := _closed_to_others()):
        _why_not = f"a user without rights may not read {place}"
    else:
        try:
            _keeper = _Keeper(network=network)
            return _keeper
        except OSError as problem:
            _why_not = f"no process can be made: {problem.strerror}"
    return None


def _closed_to_others() -> str:
    """A file or folder of Velpin's own that others than root may not read: workers load modules
    when they need them. Empty where there is none."""
    place = os.path.realpath(__file__)
    while place != os.path.dirname(place):
        with contextlib.suppress(OSError):  # a name inside an archive is none
            mode = os.stat(place).st_mode
            if not mode & (0o001 if stat.S_ISDIR(mode) else 0o004):
                return place
        place = os.path.dirname(place)
    return ""


def run(
    work: Work,
    files: Mapping[str, int],
    progress: Progress | None = None,
    *,
    network: bool = True,
) -> Any:
    """What a piece of work returns, done apart where there is a keeper, else here.

    `files` are open files by name; `network` is whether it speaks to servers. Raises the work's
    own error, Stopped where it was ended.
    """
    told = progress or (lambda _done, _total: None)
    keeper = keep(network=network)
    payload = _packed(work) if keeper else None
    if keeper is None or payload is None:
        return work(Handles(files, told))
    return keeper.run(payload, files, told)


def _packed(work: Work) -> bytes | None:
    """A piece of work as it is sent; None for one that cannot be."""
    proxies = {name: text for name, text in os.environ.items() if name.lower().endswith("_proxy")}
    try:
        return pickle.dumps((work, proxies))
    except (pickle.PicklingError, AttributeError, TypeError):
        return None


class _Keeper:
    """The process that workers are forked from, as this one sees it."""

    def __init__(self, *, network: bool) -> None:
        self.owner, self.network = os.getpid(), network
        self._lock = threading.Lock()
        identity = _identity() if os.geteuid() == 0 else None
        self.user = identity[0] if identity else ""
        self._control, theirs = socket.socketpair()
        pid = os.fork()
        if pid == 0:
            self._control.close()
            libraries = [*_READING, *(_NETWORK if network else ())]
            libraries += ["yaml"] if _HAS_MODULES in sys.modules else []
            _serve(theirs, identity, self.owner, libraries)
        theirs.close()

    def run(self, payload: bytes, files: Mapping[str, int], progress: Progress) -> Any:
        """What a worker returns for a piece of work.

        Raises the work's own error, Stopped where the worker ended before it was done.
        """
        mine, theirs = socket.socketpair()
        with mine:
            with theirs, self._lock:
                names = json.dumps(list(files)).encode()
                head = len(names).to_bytes(4, "big")
                handles = [theirs.fileno(), *files.values()]
                with _keeper_may_be_gone():
                    socket.send_fds(self._control, [head], handles)
                    self._control.sendall(names)
            with _keeper_may_be_gone():
                mine.sendall(len(payload).to_bytes(8, "big") + payload)
            with mine.makefile("rb") as answers, _keeper_may_be_gone():
                for line in iter(lambda: answers.readline(_LARGEST_ANSWER), b""):
                    said = _said(line)
                    if "value" in said:
                        return said["value"]
                    if "error" in said:
                        raise _error_of(said)
                    progress(*_numbers(said))
        raise Stopped


@contextlib.contextmanager
def _keeper_may_be_gone() -> Iterator[None]:
    try:
        yield
    except (BrokenPipeError, ConnectionResetError) as problem:
        raise Stopped from problem


def _said(line: bytes) -> dict[str, Any]:
    """What a worker said; Stopped for what no worker says that is in its right mind."""
    try:
        said = json.loads(line)
    except (ValueError, RecursionError):
        said = None
    if not isinstance(said, dict):
        raise Stopped
    return said


def _numbers(said: dict[str, Any]) -> tuple[int, int]:
    try:
        return int(said["done"]), int(said["total"])
    except (KeyError, TypeError, ValueError, OverflowError):
        raise Stopped from None


def _error_of(said: dict[str, Any]) -> Exception:
    """The error that a worker ended with: one of those that it may end with, or a fault."""
    texts = said.get("texts")
    fields = [str(each) for each in texts] if isinstance(texts, list) else []
    kind, line = str(said["error"]), said.get("line")
    if kind == "HostFileError" and len(fields) == 3 and isinstance(line, int):
        file, what, hint = fields
        return errors.HostFileError(file, line, what, hint)
    if kind in _PASSED_ON and kind != "HostFileError" and len(fields) == 2:
        error: Exception = getattr(errors, kind)(*fields)
        return error
    return RuntimeError(f"{kind[:100]}: {' '.join(fields)[:500]}")


# -- the other side ------------------------------------------------------------------------


def _identity() -> tuple[str, int, int] | None:
    """Name and numbers of a user without rights."""
    import pwd

    for name in _USERS:
        with contextlib.suppress(KeyError):
            found = pwd.getpwnam(name)
            if found.pw_uid:
                return name, found.pw_uid, found.pw_gid
    return None


def _serve(
    control: socket.socket,
    identity: tuple[str, int, int] | None,
    parent: int,
    libraries: Sequence[str],
) -> NoReturn:
    """The whole life of the keeper: fork a worker for each piece of work until nobody asks."""
    try:
        from velpin.forked import end_with_parent

        end_with_parent(parent)
        _let_go_of_all_but(control.fileno())
        _load(libraries)
        _give_up(identity)
        signal.signal(signal.SIGCHLD, signal.SIG_IGN)
        signal.signal(signal.SIGINT, signal.SIG_IGN)
        while True:
            head, handles, _, _ = socket.recv_fds(control, 4, _MOST_HANDLES)
            if len(head) < 4:
                os._exit(0)
            names = json.loads(_exactly(control, int.from_bytes(head, "big")))
            if os.fork() == 0:
                control.close()
                _work(handles[0], dict(zip(names, handles[1:], strict=True)))
            for handle in handles:
                os.close(handle)
    finally:
        os._exit(1)


def _exactly(connection: socket.socket, size: int) -> bytes:
    found = b""
    while len(found) < size:
        piece = connection.recv(size - len(found))
        if not piece:
            os._exit(0)
        found += piece
    return found


def _let_go_of_all_but(handle: int) -> None:
    """Close what the parent had open, terminal and locks among it."""
    null = os.open(os.devnull, os.O_RDWR)
    for standard in range(3):
        os.dup2(null, standard)
    for each in [int(name) for name in os.listdir("/proc/self/fd")]:
        if each > 2 and each != handle:
            with contextlib.suppress(OSError):  # the folder that was listed is closed already
                os.close(each)


def _give_up(identity: tuple[str, int, int] | None) -> None:
    """Become a user without rights, for good, and take limits."""
    with open("/proc/self/statm", encoding="ascii") as file:
        pages = int(file.read().split()[0])
    limits = {
        resource.RLIMIT_AS: pages * resource.getpagesize() + _MEMORY,
        resource.RLIMIT_CPU: _SECONDS, resource.RLIMIT_FSIZE: _FILE,
        resource.RLIMIT_NOFILE: _OPEN, resource.RLIMIT_CORE: 0,
    }  # fmt: skip
    for which, wanted in limits.items():
        _, most = resource.getrlimit(which)
        value = wanted if most == resource.RLIM_INFINITY else min(wanted, most)
        resource.setrlimit(which, (value, value))
    if identity is not None:
        _, user, group = identity
        os.setgroups([])
        os.setresgid(group, group, group)
        os.setresuid(user, user, user)
    with contextlib.suppress(OSError, AttributeError, ImportError):
        import ctypes

        control = ctypes.CDLL(None).prctl
        control(_NO_NEW_PRIVILEGES, 1, 0, 0, 0)
        control(_DUMPABLE, 0, 0, 0, 0)  # no worker looks into the keeper, or into another
    os.chdir("/")


_READING = (
    "zlib", "bz2", "lzma", "lz4.block", "lz4.frame", "hashlib", "gzip", "shutil",
    "xml.etree.ElementTree", "xml.parsers.expat", "tempfile", "fnmatch", "heapq",
    "velpin.fetch.unpack", "velpin.store.index",
    "compression.zstd" if sys.version_info >= (3, 14) else "backports.zstd",
)  # fmt: skip
"""What workers need that read an index."""
_NETWORK = (
    "urllib3", "urllib.request", "ssl", "email.utils", "encodings.idna", "stringprep",
    "http.client", "velpin.fetch.download",
)  # fmt: skip
"""What else those need that fetch one."""
_HAS_MODULES = "velpin.kinds.rpm_dnf"
"""The kind of host whose indexes have documents in YAML."""


def _load(libraries: Sequence[str]) -> None:
    """Load what workers need: later they may not be able to read it."""
    from importlib import import_module

    for name in libraries:
        with contextlib.suppress(ImportError):
            import_module(name)


def _work(answers: int, files: Mapping[str, int]) -> NoReturn:
    """The whole life of a worker."""
    code = 1
    try:
        signal.signal(signal.SIGCHLD, signal.SIG_DFL)
        with socket.socket(fileno=answers) as connection:
            size = int.from_bytes(_exactly(connection, 8), "big")
            work, proxies = pickle.loads(_exactly(connection, size))
            for name in [each for each in os.environ if each.lower().endswith("_proxy")]:
                del os.environ[name]
            os.environ.update(proxies)

            def tell(said: dict[str, Any]) -> None:
                connection.sendall(json.dumps(said).encode() + b"\n")

            def progress(done: int, total: int) -> None:
                tell({"done": done, "total": total})

            try:
                tell({"value": work(Handles(files, progress))})
            except errors.HostFileError as problem:
                tell({"error": "HostFileError", "line": problem.line,
                      "texts": [problem.file, problem.what, problem.hint]})  # fmt: skip
            except errors.VelpinError as problem:
                tell({"error": type(problem).__name__, "texts": [problem.message, problem.hint]})
            except MemoryError:
                tell({"error": "HostFileError", "line": 0,
                      "texts": ["", "takes more memory than reading it may", ""]})  # fmt: skip
            except Exception as problem:
                tell({"error": type(problem).__name__, "texts": [str(problem)[:500]]})
        code = 0
    finally:
        os._exit(code)
