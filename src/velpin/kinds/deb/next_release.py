"""What each source of a deb host would need for another release of it."""

from __future__ import annotations

from velpin.core.adapter import Adapter
from velpin.core.checkup.examination import Examination
from velpin.core.checkup.next_release import Move, NextRelease
from velpin.errors import FetchError, HostFileError, Refusal, TrustError
from velpin.fetch.download import Transport
from velpin.files.tree import Edits
from velpin.kinds.deb import edit
from velpin.kinds.deb.adapter import DebAdapter
from velpin.kinds.deb.add import suites_of
from velpin.kinds.deb.checkup import DebCheckupFacts, is_of
from velpin.kinds.deb.edit import EntryChange
from velpin.kinds.deb.release import read_release
from velpin.kinds.deb.sources import DebSource
from velpin.model.source import Source


def moves_to(host: DebAdapter, asked: str, transport: Transport) -> NextRelease:
    """Suites with the name of another release in the place of this one's.

    Raises Refusal where this host does not say its release, or its own sources have no such one.
    """
    here = host.release.get("VERSION_CODENAME", "")
    if not here:
        raise Refusal("etc/os-release does not say which release this host is (VERSION_CODENAME)")
    facts = DebCheckupFacts(host)
    codename = _codename_of(host, asked, transport) if asked[:1].isdigit() else asked
    number = asked if asked[:1].isdigit() else ""
    moves = [_move(facts, source, here, codename, number) for source in host.sources]
    if codename == here:
        raise Refusal(f"this host is {here} already", "name the release it is to move to")
    return NextRelease(codename, moves, {})


def _move(
    facts: DebCheckupFacts, source: DebSource, here: str, codename: str, number: str
) -> Move:  # fmt: skip
    now = f"{source.address} {source.release}"
    suite = _next_suite(facts, source, here, codename)
    address = _next_address(facts.host, source, here, codename, number)
    if (address, suite) == (source.address, source.release):
        return Move(source.handle, now, now)
    change = EntryChange(
        suite if suite != source.release else "", address if address != source.address else ""
    )

    def edits(host: Adapter[Source]) -> Edits:
        assert isinstance(host, DebAdapter)
        return edit.reworded(host, _known_as(host, source.address, source.release), change)

    def find(host: Adapter[Source]) -> Source | None:
        return next(
            (s for s in host.sources if host.editor.key_of(s) == (address, suite) and s.on), None
        )

    return Move(source.handle, now, f"{address} {suite}", edits, find)


def _known_as(host: DebAdapter, address: str, release: str) -> DebSource:
    """A source whatever it is called now: handles may change with what stands beside it."""
    return next(s for s in host.sources if s.on and (s.address, s.release) == (address, release))


def _next_suite(facts: DebCheckupFacts, source: DebSource, here: str, codename: str) -> str:
    if source.flat:
        return source.release
    if is_of(here, source.release):
        return codename + source.release.removeprefix(here)
    release = facts.release_of(source)
    if source.release == release.suite and is_of(here, release.codename or ""):
        return codename + (release.codename or "").removeprefix(here)
    return source.release


def _next_address(
    host: DebAdapter, source: DebSource, here: str, codename: str, number: str
) -> str:
    head, slashes, path = source.address.partition("://")
    place, slash, rest = path.partition("/")
    old = host.release.get("VERSION_ID", "")
    words = {here: codename, **({old: number} if old and number else {})}
    parts = [words.get(part, part) for part in rest.split("/")]
    return f"{head}{slashes}{place}{slash}{'/'.join(parts)}"


def _codename_of(host: DebAdapter, number: str, transport: Transport) -> str:
    """The codename of a release of the distribution by its number, asked of its own sources."""
    facts = DebCheckupFacts(host)
    home = Examination(host)
    for source in host.sources:
        if not source.on or source.flat or not home.is_home(source.handle):
            continue
        for suite in suites_of(source, transport, host.release):
            for name in ("InRelease", "Release"):
                try:
                    data = transport.read(f"{source.address}/dists/{suite}/{name}")
                    found = read_release(data, suite)
                except (FetchError, TrustError, HostFileError):
                    continue
                version = found.version or ""
                if found.codename and (version == number or version.startswith(f"{number}.")):
                    return found.codename.partition("-")[0]
                break
    known = ", ".join(sorted({facts.release_of(s).codename or "" for s in host.sources} - {""}))
    raise Refusal(
        f"no source of this host's distribution has a release {number}",
        f"give its codename (this host's sources name {known})",
    )
