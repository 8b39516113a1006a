"""What each source of an rpm host would need for another release of it."""

from __future__ import annotations

import re
from collections.abc import Callable

from velpin.errors import Refusal
from velpin.fetch.download import Transport
from velpin.files.tree import Edits, Tree
from velpin.kinds.rpm.checkup import RELEASE_NUMBER
from velpin.kinds.rpm.edit import with_value
from velpin.kinds.rpm.source import RpmSource
from velpin.kinds.rpm.state import RpmState
from velpin.ports.next_release import Move, NextRelease, NextReleases

_ADDRESSES = ("baseurl", "mirrorlist", "metalink")


class RpmNextReleases(NextReleases):
    """Other releases of an rpm host."""

    def __init__(self, state: RpmState) -> None:
        self._state = state

    def moves_to(
        self, release: str, transport: Transport, is_home: Callable[[str], bool]
    ) -> NextRelease:
        """Addresses with the number of another release in the place of this one's, and the release
        variable set to it.

        Raises Refusal where this host does not say its release, or is of that one.
        """
        here = self._state.configuration.variables.get(
            "releasever"
        ) or self._state.configuration.release.get("VERSION_ID", "")
        if not here:
            raise Refusal("this host does not say which release it is")
        if here == release:
            raise Refusal(f"this host is {here} already", "name the release it is to move to")
        major, _, minor = release.partition(".")
        folder = self._state.configuration.variables_folder
        values = {"releasever": release, "releasever_major": major, "releasever_minor": minor}
        told: dict[str, bytes | None] = {
            f"{folder}/{name}": f"{value}\n".encode()
            for name, value in values.items()
            if name == "releasever" or name in self._state.configuration.variables
        }
        after = self._state.with_edits(told)
        moves = [
            _move(self._state, after, source, here, release)
            for source in self._state.configuration.sources
        ]
        return NextRelease(release, moves, told)


def _move(
    state: RpmState, after: RpmState, source: RpmSource, here: str, release: str
) -> Move:  # fmt: skip
    new = {
        key: value
        for key in _ADDRESSES
        if (value := _of_release(source.section.get(key), here, release)) != source.section.get(key)
    }
    if not new:
        return Move(source.handle, source.url, after.configuration.by_handle[source.handle].url)

    def edits(tree: Tree) -> Edits:
        found: dict[str, bytes | None] = {}
        for key, value in new.items():
            file = source.file_of(key)
            data = found.get(file) or tree.read(file) or b""
            found[file] = with_value(data, file, source.handle, key, value)
        return found

    moved = after.with_edits(edits(after.tree)).configuration.by_handle[source.handle]
    return Move(source.handle, source.url, moved.url, lambda ports: edits(ports.tree))


def _of_release(text: str, here: str, release: str) -> str:
    """An address with each part that is a release's number replaced, its major one too."""
    words = {here: release, here.partition(".")[0]: release.partition(".")[0]}

    def put(found: re.Match[str]) -> str:
        return words.get(found.group(1), found.group(1))

    return RELEASE_NUMBER.sub(put, text)
