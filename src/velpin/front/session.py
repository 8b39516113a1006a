"""What every command does around its own work: open the host, tell, ask, stop."""

from __future__ import annotations

import os
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Any

from velpin.errors import NoConsent, Unforeseen, VelpinError
from velpin.front.screen import Screen
from velpin.kinds import open_host
from velpin.store.shelf import open_shelf
from velpin.text import whole_number
from velpin.tree import Tree

if TYPE_CHECKING:
    from velpin.change.journal import Journal
    from velpin.fetch.download import Transport
    from velpin.kinds.base import Host

_JOURNAL = "var/lib/velpin/journal"


def open_at(root: Path, *, as_is: bool = False) -> Host:
    """The host at a root; an interrupted change is put right first, where that is allowed."""
    tree = Tree(root)
    _mend(tree)
    shelf = open_shelf(tree)
    for doubt in shelf.doubts():
        tell(f"{doubt}: what is in it is not used, and it is made anew when it is written to")
    return open_host(tree, shelf, as_is=as_is)


def journal_of(host: Host) -> Journal:
    """The journal of a host."""
    from velpin.change.journal import Journal

    return Journal(host.tree)


def _mend(tree: Tree) -> None:
    try:
        names = os.listdir(tree.path(_JOURNAL))
    except OSError:
        return
    if not any(name.endswith(".pending.json") and not name.startswith(".") for name in names):
        return
    from velpin.change.journal import Journal
    from velpin.errors import Busy, CannotRead, CannotWrite

    journal = Journal(tree)
    doubt = journal.why_doubted()
    if doubt:
        tell(f"an interrupted change is not put right: {doubt}")
        return
    try:
        with journal.lock(limit=2.0):
            done = journal.recover()
    except Busy:
        tell("another velpin is changing this host just now")
        return
    except (CannotRead, CannotWrite):
        tell("a change was interrupted; run any velpin command as root to put it right")
        return
    for text in done:
        tell(text)


def tell(text: str, style: str = "warn") -> None:
    """A line for the person on standard error."""
    Screen(sys.stderr).line(("velpin: ", style), text)


def waiting() -> None:
    """Said while another Velpin holds the host."""
    tell("another velpin is working on this host; waiting for it")


@contextmanager
def busy(what: str = "looking at the whole host") -> Iterator[None]:
    """Say on standard error what is being worked on, where that is a terminal, until it is done."""
    shown = sys.stderr.isatty() and os.environ.get("TERM") != "dumb"
    if shown:
        print(f"{what} ...", end="", file=sys.stderr, flush=True)
    try:
        yield
    finally:
        if shown:
            print("\r\x1b[K", end="", file=sys.stderr, flush=True)


def unforeseen(problem: BaseException, doing: str) -> Unforeseen:
    """What is told of an error that no part of Velpin foresaw."""
    what = f"{type(problem).__name__}: {problem}"[:500]
    place = ""
    trace = problem.__traceback__
    while trace is not None:
        code = trace.tb_frame.f_code
        place = f" ({os.path.basename(code.co_filename)}:{trace.tb_lineno})"
        trace = trace.tb_next
    return Unforeseen(
        f"a fault of velpin's own while {doing}: {what}{place}",
        "run it again with --debug and report what it says; velpin journal tells what was changed",
    )


def fail(problem: VelpinError, as_json: bool) -> int:
    """Say what went wrong, and give the exit code."""
    if as_json:
        from velpin.front import as_json as out

        code = problem.exit_code
        out.write({"error": problem.message, "hint": problem.hint or None, "exit_code": code})
        return code
    screen = Screen(sys.stderr)
    screen.line(("velpin: ", "bad"), problem.message)
    for line in problem.hint.split("\n") if problem.hint else ():
        screen.line(line, indent=2)
    return problem.exit_code


def transport_for(host: Host, quiet: bool = False) -> tuple[Transport, Meter]:
    """A transport with the host's settings, and the progress bars it feeds."""
    from velpin.fetch.download import Transport
    from velpin.settings import read_settings

    meter = Meter(not quiet)
    settings = read_settings(host.tree, host.fetch_proxies(), host.fetch_logins())
    return Transport(settings, meter.told), meter


class Meter:
    """Progress bars on standard error, where that is a terminal."""

    def __init__(self, wanted: bool) -> None:
        self._on = wanted and sys.stderr.isatty() and os.environ.get("TERM") != "dumb"
        self._bars: dict[str, Any] = {}
        self._progress: Any = None
        import threading

        self._lock = threading.Lock()

    def told(self, label: str, done: int, total: int) -> None:
        """Told by the transport after each piece."""
        if not self._on:
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

    def __enter__(self) -> Meter:
        return self

    def __exit__(self, *_: object) -> None:
        if self._progress is not None:
            self._progress.stop()


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
