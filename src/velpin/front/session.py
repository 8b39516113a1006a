"""What every command does around its own work: open the host, tell, ask, stop."""

from __future__ import annotations

import os
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Any

from velpin.change.recovery import is_interrupted, recover
from velpin.errors import Busy, CannotRead, CannotWrite, NoConsent, PlanRefused, VelpinError
from velpin.files.text import whole_number
from velpin.front.screen import Screen
from velpin.host.opening import open_host

if TYPE_CHECKING:
    from velpin.host.host import Host


def open_at(root: Path, *, as_is: bool = False) -> Host:
    """The host at a root; an interrupted change is repaired first, where that is allowed."""
    if is_interrupted(root):
        _mend(root)
    host = open_host(root, as_is=as_is, on_wait=waiting, progress=METER.told)
    host.cache.while_parsing = lambda _path: _reading()
    for doubt in host.cache.doubts():
        tell(f"{doubt}: what is in it is not used, and it is rebuilt when it is written to")
    return host


@contextmanager
def _reading() -> Iterator[None]:
    """While an index is parsed, which is told unless something else is."""
    if METER.is_drawn:
        yield
        return
    with busy("reading the indexes"):
        yield


def _mend(root: Path) -> None:
    try:
        done = recover(root)
    except Busy:
        tell("another velpin is changing this host just now")
    except (CannotRead, CannotWrite):
        tell("a change was interrupted; run any velpin command as root to put it right")
    else:
        for text in done:
            tell(text)


def tell(text: str, style: str = "warn") -> None:
    """A line for the person on standard error."""
    Screen(sys.stderr).line(("velpin: ", style), text)


def waiting() -> None:
    """Said while another Velpin holds the host."""
    tell("another velpin is working on this host; waiting for it")


def _is_terminal() -> bool:
    return sys.stderr.isatty() and os.environ.get("TERM") != "dumb"


_TELLING: list[str] = []
"""What is told to be worked on just now."""


@contextmanager
def busy(what: str = "looking at the whole host") -> Iterator[None]:
    """Say on standard error what is being worked on, where that is a terminal, until it is done;
    not within something that is told already."""
    shown = _is_terminal() and not _TELLING and not METER.is_drawn
    if shown:
        _TELLING.append(what)
        print(f"{what} ...", end="", file=sys.stderr, flush=True)
    try:
        yield
    finally:
        METER.stop()
        if shown:
            _TELLING.clear()
            print("\r\x1b[K", end="", file=sys.stderr, flush=True)


def explained(problem: VelpinError) -> VelpinError:
    """An error with the words of its reasons, where it has reasons as data."""
    if not isinstance(problem, PlanRefused):
        return problem

    where = f" ({problem.place})" if problem.place else ""
    problem.message = f"not written: {problem.reason.text}{where}"
    lines = [f"{remedy.command}\n  {remedy.what.text}" for remedy in problem.remedies]
    if problem.may_overrule:
        problem.hint = "add --anyway if that is meant"
    elif lines:
        problem.hint = "\n".join(["these would help (tried):", *lines])
    return problem


def fail(problem: VelpinError, as_json: bool) -> int:
    """Say what went wrong, and give the exit code."""
    problem = explained(problem)
    if as_json:
        from velpin.front import json_values
        from velpin.front.documents import Failure

        json_values.write(Failure.of(problem))
        return problem.exit_code
    screen = Screen(sys.stderr)
    screen.line(("velpin: ", "bad"), problem.message)
    for line in problem.hint.split("\n") if problem.hint else ():
        screen.line(line, indent=2)
    return problem.exit_code


class Meter:
    """Progress bars on standard error, where that is a terminal."""

    def __init__(self) -> None:
        import threading

        self._bars: dict[str, Any] = {}
        self._progress: Any = None
        self._lock = threading.Lock()

    @property
    def is_drawn(self) -> bool:
        """Whether there are bars on the screen."""
        return self._progress is not None

    def told(self, label: str, done: int, total: int) -> None:
        """Told by the transport after each piece."""
        if not _is_terminal():
            return
        with self._lock:
            if self._progress is None:
                self._progress = _new_progress()
                self._progress.start()
            if label not in self._bars:
                self._bars[label] = self._progress.add_task(label, total=total or None)
            self._progress.update(self._bars[label], completed=done, total=total or None)
            if total and done >= total:
                self._progress.update(self._bars[label], visible=False)

    def stop(self) -> None:
        """Take the bars away."""
        with self._lock:
            if self._progress is not None:
                self._progress.stop()
            self._progress = None
            self._bars.clear()


METER = Meter()
"""The bars of this run."""


def _new_progress() -> Any:
    from rich.console import Console
    from rich.progress import BarColumn, DownloadColumn, Progress, TextColumn, TimeRemainingColumn

    return Progress(
        TextColumn("{task.description}", markup=False),
        BarColumn(),
        DownloadColumn(),
        TimeRemainingColumn(),
        console=Console(file=sys.stderr),
        transient=True,
    )


def choose(question: str, count: int, *, yes: bool, ask: Callable[[str], str] = input) -> int:
    """Which of some things, from 1; the first where yes was said ahead.

    NoConsent where none is chosen, or nobody is there to choose.
    """
    if yes:
        return 1
    if not sys.stdin.isatty():
        raise NoConsent(
            "nothing was changed: there is no terminal to ask on",
            "choose ahead with --take NUMBER, or only look with --preview",
        )
    print()
    try:
        said = ask(f"{question} [1-{count}, or nothing] ").strip()
    except EOFError:
        said = ""
    chosen = whole_number(said)
    if chosen is None or not 1 <= chosen <= count:
        raise NoConsent("nothing was changed")
    return chosen


def consent(question: str, *, yes: bool, ask: Callable[[str], str] = input) -> None:
    """Ask once; NoConsent where the answer is not yes, or nobody is there to answer."""
    if yes:
        return
    if not sys.stdin.isatty():
        raise NoConsent(
            "nothing was changed: there is no terminal to ask on",
            "say yes ahead with --yes, or only look with --preview",
        )
    print()
    try:
        said = ask(f"{question} [y/N] ").strip().lower()
    except EOFError:
        said = ""
    if said not in ("y", "yes"):
        raise NoConsent("nothing was changed")
