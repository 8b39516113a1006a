"""What each source of a deb host would need for another release of it."""

from __future__ import annotations

from collections.abc import Callable

from velpin.errors import FetchError, HostFileError, Refusal, TrustError
from velpin.fetch.download import Transport
from velpin.files.tree import Edits
from velpin.kinds.deb import edit
from velpin.kinds.deb.checkup import is_of, state_of
from velpin.kinds.deb.edit import EntryChange
from velpin.kinds.deb.release import read_release
from velpin.kinds.deb.sources import DebSource
from velpin.kinds.deb.state import DebState
from velpin.kinds.deb.suites import suites_of
from velpin.model.source import Source
from velpin.ports.bundle import Ports
from velpin.ports.next_release import Move, NextRelease, NextReleases


class DebNextReleases(NextReleases):
    """Other releases of a deb host."""

    def __init__(self, state: DebState) -> None:
        self._state = state

    def moves_to(
        self, release: str, transport: Transport, is_home: Callable[[str], bool]
    ) -> NextRelease:
        """Suites with the name of another release in the place of this one's.

        Raises Refusal where this host does not say its release, or its own sources have no such
        one.
        """
        asked = release
        here = self._state.configuration.release.get("VERSION_CODENAME", "")
        if not here:
            raise Refusal(
                "etc/os-release does not say which release this host is (VERSION_CODENAME)"
            )
        codename = (
            _codename_of(self._state, asked, transport, is_home) if asked[:1].isdigit() else asked
        )
        number = asked if asked[:1].isdigit() else ""
        moves = [
            _move(self._state, source, here, codename, number)
            for source in self._state.configuration.sources
        ]
        if codename == here:
            raise Refusal(f"this host is {here} already", "name the release it is to move to")
        return NextRelease(codename, moves, {})


def _move(
    state: DebState, source: DebSource, here: str, codename: str, number: str
) -> Move:  # fmt: skip
    now = f"{source.address} {source.release}"
    suite = _next_suite(state, source, here, codename)
    address = _next_address(state, source, here, codename, number)
    if (address, suite) == (source.address, source.release):
        return Move(source.handle, now, now)
    change = EntryChange(
        suite if suite != source.release else "", address if address != source.address else ""
    )

    def edits(ports: Ports) -> Edits:
        here = state_of(ports)
        return edit.reworded(here, _known_as(here, source.address, source.release), change)

    def find(ports: Ports) -> Source | None:
        return next(
            (
                s
                for s in ports.configuration.sources
                if ports.editor.key_of(s) == (address, suite) and s.on
            ),
            None,
        )

    return Move(source.handle, now, f"{address} {suite}", edits, find)


def _known_as(state: DebState, address: str, release: str) -> DebSource:
    """A source whatever it is called now: handles may change with what stands beside it."""
    return next(
        s
        for s in state.configuration.sources
        if s.on and (s.address, s.release) == (address, release)
    )


def _next_suite(state: DebState, source: DebSource, here: str, codename: str) -> str:
    if source.flat:
        return source.release
    if is_of(here, source.release):
        return codename + source.release.removeprefix(here)
    release = state.indexes.copies[source.handle].release
    if source.release == release.suite and is_of(here, release.codename or ""):
        return codename + (release.codename or "").removeprefix(here)
    return source.release


def _next_address(state: DebState, source: DebSource, here: str, codename: str, number: str) -> str:
    head, slashes, path = source.address.partition("://")
    place, slash, rest = path.partition("/")
    old = state.configuration.release.get("VERSION_ID", "")
    words = {here: codename, **({old: number} if old and number else {})}
    parts = [words.get(part, part) for part in rest.split("/")]
    return f"{head}{slashes}{place}{slash}{'/'.join(parts)}"


def _codename_of(
    state: DebState, number: str, transport: Transport, is_home: Callable[[str], bool]
) -> str:
    """The codename of a release of the distribution by its number, asked of its own sources."""
    for source in state.configuration.sources:
        if not source.on or source.flat or not is_home(source.handle):
            continue
        for suite in suites_of(source.address, transport, state.configuration.release):
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
    known = ", ".join(
        sorted(
            {
                state.indexes.copies[s.handle].release.codename or ""
                for s in state.configuration.sources
            }
            - {""}
        )
    )
    raise Refusal(
        f"no source of this host's distribution has a release {number}",
        f"give its codename (this host's sources name {known})",
    )
