"""What each source of an alpm host would need for another release of it."""

from __future__ import annotations

from collections.abc import Callable

from velpin.errors import Refusal
from velpin.fetch.download import Transport
from velpin.files.tree import Edits, Tree
from velpin.kinds.alpm.edit import Text
from velpin.kinds.alpm.source import AlpmSource
from velpin.kinds.alpm.state import AlpmState
from velpin.ports.next_release import Move, NextRelease, NextReleases


class AlpmNextReleases(NextReleases):
    """Other releases of an alpm host."""

    def __init__(self, state: AlpmState) -> None:
        self._state = state

    def moves_to(
        self, release: str, transport: Transport, is_home: Callable[[str], bool]
    ) -> NextRelease:
        """Addresses with another release in the place of this one's.

        Raises Refusal on a host whose sources name no release: it has none but today's.
        """
        here = self._state.configuration.release.get("VERSION_ID", "")
        moves = [
            _move(self._state, source, here, release)
            for source in self._state.configuration.sources
        ]
        if not here or all(move.edits is None for move in moves):
            raise Refusal(
                "no source of this host names a release: every upgrade is a move to the next one",
                "velpin forecast --upgrade tells what it would do",
            )
        return NextRelease(release, moves, {})


def _move(state: AlpmState, source: AlpmSource, here: str, release: str) -> Move:
    lines = [
        directive.place
        for section in state.configuration.config.sections
        if section.name == source.handle
        for directive in section.of("Server")
        if here and here in (directive.text or "").split("/")
    ]
    if not lines:
        return Move(source.handle, source.url, source.url)

    def edits(tree: Tree) -> Edits:
        found: dict[str, bytes | None] = {}
        for place in lines:
            text = Text(tree.with_edits(found), place.file)
            parts = text.lines[place.line - 1].split("/")
            bare = [part.rstrip("\r\n") for part in parts]
            text.lines[place.line - 1] = "/".join(
                release + part[len(plain) :] if plain == here else part
                for part, plain in zip(parts, bare, strict=True)
            )
            found[place.file] = text.data
        return found

    moved = state.with_edits(edits(state.tree)).configuration.by_handle[source.handle]
    return Move(source.handle, source.url, moved.url, lambda ports: edits(ports.tree))
