"""The changing commands: plan, show, ask, write, tell how to take it back."""

from __future__ import annotations

import os
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from velpin.change.journal import hold
from velpin.change.plan import Plan, SourceWish
from velpin.change.shift import shift_between
from velpin.errors import CannotWrite, HostFileError, Refusal, UsageError
from velpin.front.plan_view import show_came_from, show_plan, show_shift
from velpin.front.screen import Screen
from velpin.front.session import consent, journal_of, tell, transport_for, waiting
from velpin.front.words import sentence
from velpin.model import Shift

if TYPE_CHECKING:
    from velpin.fetch.download import Transport
    from velpin.kinds.base import Host


def wish_from(
    what: str,
    *,
    name: str,
    url: str,
    suite: str,
    sections: tuple[str, ...],
    archs: tuple[str, ...],
    fingerprint: str,
    anyway: bool,
) -> SourceWish:
    """The wish that the words of `velpin add` express; UsageError where they clash."""
    snippet, shown = _snippet(what) if not url else ("", "")
    if snippet and (sections or archs):
        raise UsageError(
            "a snippet names its own sections and architectures",
            "leave --section and --arch away; --suite puts another release in its place",
        )
    handle = name if snippet else name or what
    return SourceWish(
        handle=handle, address=url, release=suite, sections=sections, archs=archs,
        snippet=snippet, snippet_name=shown, fingerprint=fingerprint, anyway=anyway,
    )  # fmt: skip


def _snippet(what: str) -> tuple[str, str]:
    """A snippet's text and where it is from; empty where `what` is a plain name."""
    if what == "-":
        return sys.stdin.read(), "standard input"
    if what.lstrip().startswith(("deb ", "deb\t", "Types:", "deb-src ")) or "\n" in what:
        return what, "the quoted snippet"
    path = Path(what)
    if path.is_file() and ("/" in what or path.suffix in (".list", ".sources", ".txt")):
        try:
            return path.read_text("utf-8", "surrogateescape"), what
        except OSError as problem:
            raise HostFileError(what, 0, problem.strerror or "cannot be read") from problem
    if "/" in what:
        raise UsageError(f"{what}: no such file", "give a snippet's file, `-`, or a name and --url")
    return "", ""


def add_source(
    host: Host,
    wish: SourceWish,
    key: str,
    names: tuple[str, ...],
    *,
    preview: bool,
    yes: bool,
    as_json: bool,
) -> None:
    """Plan, show and make the addition of a source."""
    transport, meter = transport_for(host)
    with meter:
        if key:
            wish = wish._replace(key=_read_key(key, transport), key_name=key)
        with hold(host.shelf.home / "lock", waiting):
            plan = host.plan_add(wish, transport)
    if plan.unchanged:
        _tell_unchanged(plan, as_json)
        return
    against = plan.error
    if not against and plan.findings and not wish.anyway:
        what = f"not added: {sentence(plan.findings[0])}"
        against = Refusal(what, "add --anyway if that is meant")
    if against:
        if not as_json:
            show_plan(Screen(), plan)
            sys.stdout.flush()
        raise against
    shift = shift_between(host, host.with_edits(plan.edits), names)
    _decide(host, plan, shift, preview=preview, yes=yes, as_json=as_json)


def _read_key(key: str, transport: Transport) -> bytes:
    if "://" in key or key.startswith("file:"):
        return transport.read(key, most=1 << 20)
    try:
        return Path(key).read_bytes()
    except OSError as problem:
        raise HostFileError(key, 0, problem.strerror or "cannot be read") from problem


def switch_source(
    host: Host, handle: str, on: bool, *, preview: bool, yes: bool, as_json: bool
) -> None:
    """Plan, show and make switching a source on or off."""
    plan = host.plan_switch(handle, on)
    if plan.unchanged:
        _tell_unchanged(plan, as_json)
        return
    shift = shift_between(host, host.with_edits(plan.edits))
    _decide(host, plan, shift, preview=preview, yes=yes, as_json=as_json)


def drop_source(host: Host, handle: str, *, preview: bool, yes: bool, as_json: bool) -> None:
    """Plan, show and make taking a source away."""
    plan = host.plan_drop(handle)
    came = host.came_from(plan.handles[0])
    shift = shift_between(host, host.with_edits(plan.edits))
    _decide(host, plan, shift, preview=preview, yes=yes, as_json=as_json, came=came)


def undo_change(host: Host, number: int, *, preview: bool, yes: bool, as_json: bool) -> None:
    """Show and make the taking back of a change."""
    journal = journal_of(host)
    entry = journal.find(number)
    plan = Plan(f"velpin undo {entry.number}", f"undo {entry.number}: {entry.summary}")
    plan.propose(host.tree, {edit.file: edit.before.data for edit in entry.edits})
    shift = shift_between(host, host.with_edits(plan.edits))
    if not as_json:
        show_plan(Screen(), plan)
        show_shift(Screen(), shift)
        sys.stdout.flush()
    if preview:
        _end(plan, shift, None, as_json)
        return
    consent("Take it back?", yes=yes)
    done = journal.undo(entry.number, waiting)
    _end(plan, shift, done.number, as_json)


def _decide(
    host: Host,
    plan: Plan,
    shift: Shift,
    *,
    preview: bool,
    yes: bool,
    as_json: bool,
    came: Sequence[str] | None = None,
) -> None:
    if not as_json:
        screen = Screen()
        show_plan(screen, plan)
        if came is not None:
            screen.gap()
            show_came_from(screen, came, plan.handles[0])
        show_shift(screen, shift)
        sys.stdout.flush()
    if preview:
        _end(plan, shift, None, as_json)
        return
    _check_writable(host)
    consent("Write it?", yes=yes)
    entry = journal_of(host).make(
        plan.edits, plan.command, plan.summary, planned_on=plan.planned_on, on_wait=waiting
    )
    _end(plan, shift, entry.number, as_json)


def _check_writable(host: Host) -> None:
    place = host.tree.path("etc")
    if place.exists() and not os.access(place, os.W_OK):
        raise CannotWrite(f"no right to write {place}", "run it as root; --preview only looks")


def _tell_unchanged(plan: Plan, as_json: bool) -> None:
    if as_json:
        _end(plan, None, None, as_json, unchanged=True)
    else:
        Screen().line(("unchanged: ", "good"), f"{plan.summary}: that is so already")


def _end(
    plan: Plan, shift: Shift | None, number: int | None, as_json: bool, unchanged: bool = False
) -> None:
    if as_json:
        from velpin.front import as_json as out

        out.write(out.of_plan(plan, shift, number, unchanged))
    elif number is None:
        tell("preview only: nothing was changed")
    else:
        screen = Screen()
        screen.gap()
        screen.line(
            ("done", "good"), f", journal entry {number}; take it back with ",
            (f"velpin undo {number}", "command"),
        )  # fmt: skip
