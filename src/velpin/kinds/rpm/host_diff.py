"""The whole of an rpm host at once: every installed package, every name that is offered.

Single forecasts ask for one name at a time; here one pass over the sorted lines of all
lists answers tens of thousands of names by the same rule. What needs more than priorities,
architectures and versions is handed to the code that answers a single request.
"""

from __future__ import annotations

from collections.abc import Mapping
from functools import cached_property
from pathlib import Path
from typing import Self

from velpin.kinds.rpm.arch import NOARCH
from velpin.kinds.rpm.pool import RpmPackage
from velpin.kinds.rpm.source import RpmSource
from velpin.kinds.rpm.state import RpmState
from velpin.kinds.rpm.version import compare
from velpin.model.shift import Selection
from velpin.ports.answers import AnswerComparison, Answers
from velpin.ports.packages import Installed
from velpin.store.index import IndexLine


class RpmAnswers(Answers):
    """What names get on an rpm host."""

    def __init__(self, state: RpmState) -> None:
        self._state = state

    def next_alone(self, here: Installed) -> Selection | None:
        """The best update of an installed package, itself where there is none."""
        chosen = self._state.chooser.choice_of(here.name)
        return _selection(self._state, chosen) if chosen else Selection(here.version, here.source)

    def first(self, name: str) -> Selection | None:
        """Version and source that a plain request for a name gets; None where it is refused."""
        chosen = self._state.chooser.choice_of(name)
        return _selection(self._state, chosen) if chosen else None

    def compare(self, before: Self, places: Mapping[Path, int]) -> AnswerComparison | None:
        """How answers for names compare; None where nothing that decides them differs."""
        changed = _changed(before._state, self._state)
        everywhere = before._state.chooser.common_settings != self._state.chooser.common_settings
        touched = {
            places[index.path]
            for state in (before._state, self._state)
            for source, index in state.indexes.opened
            if everywhere or source.handle in changed
        }
        filtered_unlike = {
            name.encode() for name in self._state.filters.filtered_unlike(before._state.filters)
        }
        if not (touched or filtered_unlike):
            return None
        was, now = _View(before._state, places), _View(self._state, places)
        named = filtered_unlike | was.special | now.special
        return AnswerComparison(was.answer, now.answer, touched, named)


def _selection(state: RpmState, build: RpmPackage) -> Selection:
    """A build as a version and the source that has it."""
    return Selection(build.version, state.packages.taken_from(build))


# -- names that are not installed ----------------------------------------------------------


def _changed(before: RpmState, after: RpmState) -> set[str]:
    """Handles of sources that are not the same before and after."""

    def told(state: RpmState) -> dict[str, tuple[object, ...]]:
        order = {source.handle: at for at, source in enumerate(state.configuration.read_order)}
        return {
            source.handle: (_decisive(source), index.path, order[source.handle])
            for source, index in state.indexes.opened
        }

    one, other = told(before), told(after)
    changed = {
        handle
        for handle in one.keys() | other.keys()
        if (one.get(handle) or (0,))[:2] != (other.get(handle) or (0,))[:2]
    }
    left = [handle for handle in one if handle not in changed]
    again = [handle for handle in other if handle not in changed]
    return changed if left == again else set(one) | set(other)


_NOARCH = NOARCH.encode()


class _View:
    """One host's answers for names, from the lines of its lists."""

    def __init__(self, state: RpmState, places: Mapping[Path, int]) -> None:
        self._state = state
        self._sources: dict[int, list[tuple[int, RpmSource]]] = {}
        for at, (source, index) in enumerate(state.indexes.opened):  # two may be of one address
            self._sources.setdefault(places[index.path], []).append((at, source))
        self._ranks: dict[bytes, int] = {}

    def answer(self, name: bytes, entries: list[IndexLine]) -> Selection | None:
        """Version and source for a name; None where it is not available."""
        if name in self.special:
            return RpmAnswers(self._state).first(name.decode())
        best: tuple[int, int, str, int, int, int] | None = None
        chosen: tuple[str, RpmSource] | None = None
        archs = set()
        offers = ((entry, *each) for entry in entries for each in self._sources.get(entry[1], ()))
        for entry, at, source in offers:
            rank = self._rank(entry[3])
            if rank < 0:
                continue
            archs.add(entry[3])
            version = entry[4].decode()
            if self._filtered and self._state.filters.keeps_out(
                source, name.decode(), entry[3].decode(), version
            ):
                continue
            key = (source.priority, rank, version, source.cost, at, entry[2])
            if best is None or _before(key, best):
                best, chosen = key, (version, source)
            elif self._state.chooser.ties_matter and best[:3] == key[:3]:
                return RpmAnswers(self._state).first(name.decode())
        if _NOARCH in archs and any(map(self._rank, archs)):  # neither goes before the other
            return RpmAnswers(self._state).first(name.decode())
        return Selection(chosen[0], chosen[1].handle) if chosen else None

    def _rank(self, arch: bytes) -> int:
        found = self._ranks.get(arch)
        if found is None:
            text = arch.decode()
            archs = self._state.configuration.archs
            found = self._ranks[arch] = archs.rank(text) if archs.takes(text) else -1
        return found

    @cached_property
    def _filtered(self) -> bool:
        return self._state.filters.has_filters

    @cached_property
    def special(self) -> frozenset[bytes]:
        """Names that need more than their own lines: those that something replaces, and
        those that modules mention."""
        return frozenset(name.encode() for name in self._state.filters.special_names)


def _before(
    one: tuple[int, int, str, int, int, int], other: tuple[int, int, str, int, int, int]
) -> bool:
    if one[:2] != other[:2]:
        return one[:2] < other[:2]
    if one[2] != other[2]:
        order = compare(one[2], other[2])
        if order:
            return order > 0
    return one[3:] < other[3:]


def _decisive(source: RpmSource) -> tuple[object, ...]:
    """All that decides when its packages are taken, whatever they are called."""
    has_includes = bool(source.includes)
    return source.priority, source.cost, has_includes, source.hotfixes, source.address
