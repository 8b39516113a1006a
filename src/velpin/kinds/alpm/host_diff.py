"""The whole of an alpm host at once: every installed package, every name that is offered.

Single forecasts ask for one name at a time; here one pass over the sorted lines of all
lists answers tens of thousands of names by the same rule: the first source that shows it. Where
none does and another package provides the name, the code that answers a single request is asked.
"""

from __future__ import annotations

from collections.abc import Mapping
from functools import cached_property
from pathlib import Path
from typing import Self

from velpin.kinds.alpm.pool import AlpmPackage
from velpin.kinds.alpm.source import AlpmSource
from velpin.kinds.alpm.state import AlpmState
from velpin.model.shift import Selection
from velpin.ports.answers import AnswerComparison, Answers
from velpin.ports.packages import Installed
from velpin.store.index import IndexLine


class AlpmAnswers(Answers):
    """What names get on an alpm host."""

    def __init__(self, state: AlpmState) -> None:
        self._state = state

    def next_alone(self, here: Installed) -> Selection | None:
        """What the upgrade makes of an installed package, all others aside."""
        found = self._state.packages.pool.installed(here.name)
        return _selection(self._state, self._state.packages.next_of(found)) if found else None

    def first(self, name: str) -> Selection | None:
        """Version and source that a plain request for a name gets; None where it is refused."""
        chosen = self._state.packages.choice_of(name)
        return _selection(self._state, chosen) if chosen else None

    def compare(self, before: Self, places: Mapping[Path, int]) -> AnswerComparison | None:
        """How answers for names compare; None where the same lists stand in the same order."""
        was, now = _View(before._state, places), _View(self._state, places)
        if was == now:
            return None
        named = was.provided | now.provided
        return AnswerComparison(was.answer, now.answer, was.places_unlike(now), named)


def _selection(state: AlpmState, package: AlpmPackage) -> Selection:
    """A package as a version and the source that has it."""
    return Selection(package.version, state.packages.taken_from(package))


# -- names that are not installed ----------------------------------------------------------


class _View:
    """One host's answers for names, from the lines of its lists."""

    def __init__(self, state: AlpmState, places: Mapping[Path, int]) -> None:
        self._state = state
        self._sources: dict[int, AlpmSource] = {
            places[index.path]: source for source, index in state.indexes.opened if source.installs
        }
        self._archs: dict[bytes, bool] = {}

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _View) and self._told() == other._told()

    __hash__ = None  # type: ignore[assignment]

    def _told(self) -> object:
        return self._ranked, self._state.configuration.archs

    @cached_property
    def _ranked(self) -> list[tuple[int, str]]:
        """The lists in the order in which they count, with what their sources are called."""
        ranked = sorted(self._sources.items(), key=lambda item: item[1].rank)
        return [(place, source.handle) for place, source in ranked]

    def places_unlike(self, other: _View) -> set[int]:
        """The lists that only one of two hosts has; all where the rest counts otherwise."""
        mine, others = set(self._ranked), set(other._ranked)
        alike = self._state.configuration.archs == other._state.configuration.archs and (
            [each for each in self._ranked if each in others]
            == [each for each in other._ranked if each in mine]
        )
        return {place for place, _ in (mine ^ others if alike else mine | others)}

    @cached_property
    def provided(self) -> set[bytes]:
        """Names that packages of the lists provide."""
        return set().union(*(index.provided_as_bytes() for _, index in self._state.indexes.opened))

    def answer(self, name: bytes, entries: list[IndexLine]) -> Selection | None:
        """Version and source for a name; None where it is not available."""
        best: tuple[int, IndexLine] | None = None
        chosen: AlpmSource | None = None
        for entry in entries:
            source = self._sources.get(entry[1])
            if source is not None and (best is None or source.rank < best[0]):
                best, chosen = (source.rank, entry), source
        if best is None or chosen is None:
            return AlpmAnswers(self._state).first(name.decode()) if name in self.provided else None
        if not self._takes(best[1][3]):
            return None
        return Selection(best[1][4].decode(), chosen.handle)

    def _takes(self, arch: bytes) -> bool:
        found = self._archs.get(arch)
        if found is None:
            found = self._archs[arch] = self._state.configuration.takes(arch.decode())
        return found
