"""Work done in a forked process while this one goes on."""

from __future__ import annotations

import contextlib
import os
from collections.abc import Callable, Sequence
from typing import Generic, Self, TypeVar

from velpin.errors import StoreError

T = TypeVar("T")
_PR_SET_PDEATHSIG = 1


def processors() -> int:
    """How many processes are worth running; one where other threads forbid forking."""
    import threading

    return len(os.sched_getaffinity(0)) if threading.active_count() == 1 else 1


class ForkedTask(Generic[T]):
    """One piece of work, begun at once; what it gives must be picklable.

    Where there is nothing to gain from a second process it is done when it is asked for.
    """

    def __init__(self, work: Callable[[], T], *, always: bool = False) -> None:
        self._work = work
        self._pid = 0
        if not (always or processors() > 1):
            return
        import pickle  # noqa: F401 - read once, before the fork

        parent = os.getpid()
        self._out, into = os.pipe()
        self._pid = os.fork()
        if self._pid == 0:
            os.close(self._out)
            _run(work, into, parent)
        os.close(into)

    def result(self) -> T:
        """What the work gave; its own error is raised here, StoreError where it was killed."""
        if not self._pid:
            return self._work()
        import pickle

        with open(self._out, "rb") as pipe:
            data = pipe.read()
        _, status = os.waitpid(self._pid, 0)
        self._pid = 0
        if not data:
            code = os.waitstatus_to_exitcode(status)
            raise StoreError(f"a process that was to help ended with {code}", "try again")
        fine, value = pickle.loads(data)
        if not fine:
            raise value
        found: T = value
        return found

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_raised: object) -> None:
        self.stop()

    def stop(self) -> None:
        """End it if it still runs."""
        if self._pid:
            os.kill(self._pid, 9)
            os.waitpid(self._pid, 0)
            os.close(self._out)
            self._pid = 0


def side_by_side(works: Sequence[Callable[[], T]]) -> list[T]:
    """What each of some pieces of work gives, the first done here, each of the others in a process
    of its own."""
    first, *others = works
    with contextlib.ExitStack() as running:
        tasks = [running.enter_context(ForkedTask(work)) for work in others]
        return [first(), *(task.result() for task in tasks)]


def end_with_parent(parent: int) -> None:
    """Let the kernel end this process when the one that forked it ends, however that ends."""
    with contextlib.suppress(OSError, AttributeError, ImportError):
        import ctypes
        import signal

        ctypes.CDLL(None).prctl(_PR_SET_PDEATHSIG, signal.SIGKILL)
    if os.getppid() != parent:  # it ended just before
        os._exit(1)


def _run(work: Callable[[], object], into: int, parent: int) -> None:
    """The whole life of the forked process."""
    import pickle

    code = 1
    try:
        end_with_parent(parent)
        try:
            data = pickle.dumps((True, work()))
        except Exception as problem:
            data = pickle.dumps((False, problem))
        with open(into, "wb") as pipe:
            pipe.write(data)
        code = 0
    finally:
        os._exit(code)
