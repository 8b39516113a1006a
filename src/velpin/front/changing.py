"""The changing commands: plan, show, ask, write, tell how to take it back."""

from __future__ import annotations

import os
import sys
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

from velpin.change.journal import hold
from velpin.change.plan import Plan, SourceWish
from velpin.change.shift import shift_between
from velpin.change.takeover import Takeover, find_takeover
from velpin.errors import CannotWrite, HostFileError, Refusal, UsageError, VelpinError
from velpin.front.plan_view import show_came_from, show_plan, show_shift, show_takeover
from velpin.front.screen import Screen
from velpin.front.session import busy, consent, journal_of, tell, transport_for, waiting
from velpin.front.words import sentence
from velpin.model import Place, Request
from velpin.request import parse_request
from velpin.shifts import Shift
from velpin.text import whole_number
from velpin.wish import Rule, Wish

if TYPE_CHECKING:
    from velpin.fetch.download import Transport
    from velpin.kinds.base import Host


_LARGEST_GIVEN = 32 << 20
"""No snippet or release package may be larger, in bytes."""


class How(NamedTuple):
    """How a changing command goes about it."""

    preview: bool = False
    yes: bool = False
    as_json: bool = False
    every: bool = False


def wish_from(
    host: Host,
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
    snippet, shown, files = _given(host, what) if not url else ("", "", {})
    if snippet and (sections or archs):
        raise UsageError(
            "a snippet names its own sections and architectures",
            "leave --section and --arch away; --suite puts another release in its place",
        )
    handle = name if snippet else name or what
    return SourceWish(
        handle=handle, address=url, release=suite, sections=sections, archs=archs,
        snippet=snippet, snippet_name=shown, files=files, fingerprint=fingerprint, anyway=anyway,
    )  # fmt: skip


def _given(host: Host, what: str) -> tuple[str, str, dict[str, bytes]]:
    """A snippet's text, where it is from, and the files that came with it; empty where `what`
    is a plain name."""
    from velpin.fetch.package import is_package, open_package

    data = _bytes_of(host, what)
    if data is None:
        return (*_snippet(what), {})
    if not is_package(data):
        if what.endswith((".rpm", ".deb")):
            raise HostFileError(what, 0, "is no package")
        return data.decode("utf-8", "surrogateescape"), what, {}
    files = open_package(data, what)
    return (*_snippet_of(host, files, what), files)


def _bytes_of(host: Host, what: str) -> bytes | None:
    """What stands at an address, or in a release package's file; None where it is neither."""
    if _is_quoted(what):
        return None
    if "://" in what:
        transport, meter = transport_for(host)
        with meter:
            return transport.read(what, most=_LARGEST_GIVEN)
    path = Path(what)
    if path.suffix not in (".rpm", ".deb") or not path.is_file():
        return None
    try:
        return path.read_bytes()
    except OSError as problem:
        raise HostFileError(what, 0, problem.strerror or "cannot be read") from problem


def _snippet_of(host: Host, files: Mapping[str, bytes], what: str) -> tuple[str, str]:
    """The source files of a release package as one snippet."""
    found = [
        name for name in files
        if name.endswith(host.snippet_endings) and name.startswith(("etc/", "usr/"))
    ]  # fmt: skip
    if not found:
        raise UsageError(
            f"{what} holds no source for a host of kind {host.kind}",
            f"a release package brings files that end in {' or '.join(host.snippet_endings)}",
        )
    texts = [files[name].decode("utf-8", "surrogateescape") for name in sorted(found)]
    return "\n".join(texts), f"{what}: {', '.join(sorted(found))}"


def _is_quoted(what: str) -> bool:
    """Whether this is a snippet's text itself: names have no blanks in them."""
    return "\n" in what or (len(what.split()) > 1 and not os.path.isfile(what))


def _snippet(what: str) -> tuple[str, str]:
    """A snippet's text and where it is from; empty where `what` is a plain name."""
    if what == "-":
        return sys.stdin.read(), "standard input"
    if _is_quoted(what):
        return what, "the quoted snippet"
    path = Path(what)
    if path.is_file() and ("/" in what or path.suffix):
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
    how: How,
    only: tuple[str, ...] = (),
    over: tuple[str, ...] = (),
) -> None:
    """Plan, show and make the addition of a source, with `only` confined to those names, with
    `over` preferred over some."""
    transport, meter = transport_for(host)
    with meter:
        if key:
            wish = wish._replace(key=_read_key(key, transport), key_name=key)
        with hold(host.shelf.home / "lock", waiting):
            plan = host.plan_add(wish, transport)
    if only and not plan.error:
        after = host.with_edits(plan.edits)
        wishes = [Wish("confine", only, handle) for handle in plan.handles]
        plan = plan.then(host.tree, after.plan_wishes(wishes))
    if over and not plan.error:
        after = host.with_edits(plan.edits)
        wishes = [Wish("prefer", (), handle, over=over) for handle in plan.handles]
        plan = plan.then(host.tree, after.plan_wishes(wishes))
    _decide(host, plan, how, names, wish.anyway)


def add_recipes(host: Host, handle: str, address: str, how: How, *, anyway: bool) -> None:
    """Plan, show and make the addition of a source of build recipes."""
    from velpin.recipes.changing import plan_add

    transport, meter = transport_for(host)
    with meter, hold(host.shelf.home / "lock", waiting):
        plan = plan_add(host, handle, address, transport)
    _decide(host, plan, how, anyway=anyway)


def _read_key(key: str, transport: Transport) -> bytes:
    if "://" in key or key.startswith("file:"):
        return transport.read(key, most=1 << 20)
    try:
        return Path(key).read_bytes()
    except OSError as problem:
        raise HostFileError(key, 0, problem.strerror or "cannot be read") from problem


def switch_source(host: Host, handle: str, on: bool, how: How) -> None:
    """Plan, show and make switching a source on or off."""
    _decide(host, host.plan_switch(handle, on), how)


def drop_source(host: Host, handle: str, how: How) -> None:
    """Plan, show and make taking a source away."""
    plan = host.plan_drop(handle)
    _decide(host, plan, how, came=host.came_from(plan.handles[0]))


def make_wishes(
    host: Host, wishes: Sequence[Wish], how: How, *, lift: bool, foremost: bool, anyway: bool
) -> None:
    """Plan, prove, show and make some wishes, or take them back."""
    with busy("trying it on the forecast"):
        plan = host.plan_lift(wishes) if lift else host.plan_wishes(wishes, foremost=foremost)
    _decide(host, plan, how, anyway=anyway)


def pins_from(
    host: Host, texts: Sequence[str], source: str, *, allow_older: bool, lift: bool
) -> list[Wish]:
    """The pins that the words of `velpin pin` express; UsageError where one pins nothing."""
    found = []
    for text in texts:
        request = parse_request(text, host.knows, source)
        if not (request.operator or request.source or lift):
            raise UsageError(
                f"pin {text} to what?", "velpin pin NAME@VERSION, or velpin pin NAME --from SOURCE"
            )
        found.append(Wish("pin", _named(request), request.source, _version(request)))
    return [wish._replace(allow_older=allow_older) for wish in found]


def bars_from(
    host: Host, texts: Sequence[str], source: str, *, pre_releases: bool, sections: Sequence[str]
) -> list[Wish]:
    """The bars that the words of `velpin bar` express; UsageError where one bars nothing."""
    whole = pre_releases or sections
    if (whole and not source) or not (texts or whole):
        raise UsageError(
            "bar what from where?",
            "velpin bar NAME... --from SOURCE; velpin bar NAME@VERSION; or, with --from SOURCE,"
            " --pre-releases or --section SECTION",
        )
    requests = [parse_request(text, host.knows, source) for text in texts]
    for one in requests:
        if not (one.source or one.operator):
            raise UsageError(f"bar {one.text} from where?", "add --from SOURCE, or a version")
    if whole:
        names = tuple(name for one in requests for name in _named(one))
        return [
            Wish("bar", names, source, pre_releases=pre_releases, sections=tuple(sections))
        ]  # fmt: skip
    return [Wish("bar", _named(one), one.source, _version(one)) for one in requests]


def _named(request: Request) -> tuple[str]:
    return (f"{request.name}:{request.arch}" if request.arch else request.name,)


def _version(request: Request) -> str:
    return request.version if request.operator == "=" else request.operator + request.version


def drop_rules(host: Host, texts: Sequence[str], how: How) -> None:
    """Plan, show and make the dropping of rules, each by its number in the list or its place."""
    rules = host.rules()
    wishes = {rule.place: rule.wish for rule in rules if rule.wish}
    places = sorted({_place_of(rules, text) for text in texts}, reverse=True)
    lifted = list(dict.fromkeys(wishes[place] for place in places if place in wishes))
    whole = Plan("", "")
    after = host
    for place in places:  # from the end of each file on, so that no other place moves
        if place not in wishes:
            whole = whole.then(host.tree, after.plan_rule_drop(place))
            after = host.with_edits(whole.edits)
    if lifted:
        whole = whole.then(host.tree, after.plan_lift(lifted))
    _decide(host, whole, how)


def _place_of(rules: Sequence[Rule], text: str) -> Place:
    chosen = whole_number(text)
    if chosen is not None:
        if not 0 < chosen <= len(rules):
            raise Refusal(f"there is no rule {text}", "velpin rules numbers them")
        return rules[chosen - 1].place
    fitting = [rule.place for rule in rules if f"/{rule.place}".endswith("/" + text.lstrip("/"))]
    if len(fitting) == 1:
        return fitting[0]
    file, _, line = text.lstrip("/").rpartition(":")
    at = whole_number(line)
    if not file or at is None:
        raise UsageError(f"{text!r} is no rule", "a number of velpin rules, or FILE:LINE")
    return Place(file, at)


def undo_change(host: Host, number: int, how: How) -> None:
    """Show and make the taking back of a change."""
    journal = journal_of(host)
    entry = journal.find(number)
    plan = Plan(f"velpin undo {entry.number}", f"undo {entry.number}: {entry.summary}")
    plan.propose(host.tree, {edit.file: edit.before.data for edit in entry.edits})
    with busy():
        shift = shift_between(host, host.with_edits(plan.edits))
    if not how.as_json:
        show_plan(Screen(), plan)
        show_shift(Screen(), shift, every=how.every)
        sys.stdout.flush()
    if how.preview:
        _end(plan, shift, None, how)
        return
    consent("Take it back?", yes=how.yes)
    done = journal.undo(entry.number, waiting)
    _end(plan, shift, done.number, how)


def _decide(
    host: Host,
    plan: Plan,
    how: How,
    names: Sequence[str] = (),
    anyway: bool = False,
    came: Sequence[str] | None = None,
) -> None:
    """Refuse what cannot be; else show what it does to the whole host, ask, and write it."""
    if plan.unchanged and not (plan.findings or plan.unmet):
        _tell_unchanged(plan, how)
        return
    against = _against(plan, anyway)
    if against:
        if not how.as_json:
            show_plan(Screen(), plan)
            sys.stdout.flush()
        raise against
    after = host.with_edits(plan.edits)
    with busy():
        shift = shift_between(host, after, names)
        takeover = find_takeover(after, shift, _sources_of(plan), _named_in(plan, names))
    if not how.as_json:
        screen = Screen()
        if takeover:
            show_takeover(screen, takeover)
        show_plan(screen, plan)
        if came is not None:
            screen.gap()
            show_came_from(screen, came, plan.handles[0])
        show_shift(screen, shift, every=how.every)
        sys.stdout.flush()
    if how.preview:
        _end(plan, shift, None, how, takeover)
        return
    _check_writable(host)
    consent("Write it?", yes=how.yes)
    _end(plan, shift, write_plan(host, plan), how, takeover)


def write_plan(host: Host, plan: Plan) -> int:
    """Write what a plan says; the number of the journal's entry."""
    _check_writable(host)
    entry = journal_of(host).make(
        plan.edits,
        plan.command,
        plan.summary,
        planned_on=plan.planned_on,
        private=plan.private,
        on_wait=waiting,
    )
    return entry.number


def _against(plan: Plan, anyway: bool) -> VelpinError | None:
    """What stops a plan: that it is impossible, that it would not do what is wished, or, unless
    that was overruled, a finding."""
    if plan.error:
        return plan.error
    if plan.unmet and plan.unmet.why:
        where = f" ({plan.unmet.rival})" if plan.unmet.rival else ""
        ways = [f"{way.command}\n  {sentence(way.what)}" for way in plan.ways_out]
        hint = "\n".join(["what would help, tried:", *ways]) if ways else ""
        return Refusal(f"not written: {sentence(plan.unmet.why)}{where}", hint)
    if plan.findings and not anyway:
        what = f"not written: {sentence(plan.findings[0])}"
        return Refusal(what, "add --anyway if that is meant")
    return None


def _sources_of(plan: Plan) -> list[str]:
    """The sources that a plan speaks for."""
    return plan.handles or [wish.source for wish in plan.wishes if wish.kind == "prefer"]


def _named_in(plan: Plan, names: Sequence[str]) -> list[str]:
    """Names and globs that the administrator spoke of."""
    return [*names, *(name for wish in plan.wishes for name in wish.names)]


def _check_writable(host: Host) -> None:
    place = host.tree.path("etc")
    if place.exists() and not os.access(place, os.W_OK):
        raise CannotWrite(f"no right to write {place}", "run it as root; --preview only looks")


def _tell_unchanged(plan: Plan, how: How) -> None:
    if how.as_json:
        _end(plan, None, None, how, unchanged=True)
    else:
        Screen().line(("unchanged: ", "good"), f"{plan.summary}: that is so already")


def _end(
    plan: Plan,
    shift: Shift | None,
    number: int | None,
    how: How,
    takeover: Takeover | None = None,
    unchanged: bool = False,
) -> None:
    if how.as_json:
        from velpin.front import as_json as out

        out.write(out.of_plan(plan, shift, number, unchanged, takeover))
    elif number is None:
        tell("preview only: nothing was changed")
    else:
        screen = Screen()
        screen.gap()
        screen.line(
            ("done", "good"), f", journal entry {number}; take it back with ",
            (f"velpin undo {number}", "command"),
        )  # fmt: skip
