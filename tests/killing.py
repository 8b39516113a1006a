"""Work that is killed at a certain call that touches the disk."""

from __future__ import annotations

import os
import signal
from collections.abc import Callable

CALLS = ("open", "replace", "fsync", "fchmod", "unlink", "mkdir", "write")


def in_a_child(work: Callable[[], object]) -> int:
    """Run something in a forked process; its exit code."""
    pid = os.fork()
    if pid == 0:
        code = 1
        try:
            work()
            code = 0
        finally:
            os._exit(code)
    return os.waitstatus_to_exitcode(os.waitpid(pid, 0)[1])


def reads(call: Callable[..., object], words: tuple[object, ...]) -> bool:
    """Whether a call only opens something to be read, which leaves nothing behind."""
    writing = os.O_WRONLY | os.O_RDWR | os.O_CREAT
    return call.__name__ == "open" and isinstance(words[1], int) and not words[1] & writing


def killed_at(step: int, work: Callable[[], object]) -> bool:
    """Do some work, killed at the given call that touches the disk; whether it was reached."""

    def child() -> None:
        count = 0

        def counted(call: Callable[..., object]) -> Callable[..., object]:
            def wrapped(*words: object, **named: object) -> object:
                nonlocal count
                count += not reads(call, words)
                if count == step and not reads(call, words):
                    os.kill(os.getpid(), signal.SIGKILL)
                return call(*words, **named)

            return wrapped

        for name in CALLS:
            setattr(os, name, counted(getattr(os, name)))
        work()

    return in_a_child(child) == -signal.SIGKILL
