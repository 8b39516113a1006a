"""The whole of an alpm host at once: every installed package, every name that is offered.

Single forecasts ask for one name at a time; here one pass over the sorted lines of all
lists answers tens of thousands of names by the same rule: the first source that shows it.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from heapq import merge
from itertools import groupby
from operator import itemgetter
from pathlib import Path

from velpin.kinds.alpm.forecast import forecast_upgrade
from velpin.kinds.alpm.pool import Package
from velpin.kinds.alpm.source import AlpmSource
from velpin.kinds.alpm.state import AlpmState
from velpin.model import Reason
from velpin.shifts import AfterUpgrade, Pictured, Stand, Turned


def after_upgrade(host: AlpmState) -> AfterUpgrade:
    """How every installed package would stand after the full upgrade.

    Where the host would refuse that, as each package would stand on its own; where only a
    list is missing, as if that had nothing.
    """
    told = forecast_upgrade(host, all_there=True)
    changed = {one.name: one for one in told.changes if one.old}
    stands: dict[tuple[str, str], tuple[str, Stand | None]] = {}
    for here in host.pool.all_installed():
        change = changed.get(here.name)
        if change is not None:
            stand: Stand | None = (change.new, change.source or "") if change.new else None
        else:
            stand = stand_of(host, here if told.ok else host.next_of(here))
        stands[here.name, here.arch] = here.version, stand
    missing = Reason("never-refreshed", {"sources": ", ".join(host.missing)})
    problem = missing if told.ok and host.missing and told.changes else told.problem
    return AfterUpgrade(stands, told.kept, problem)


def stand_of(host: AlpmState, package: Package) -> Stand:
    """A package as a version and the source that has it."""
    source = host.shown_source(package)
    return package.version, source.handle if source else ""


def first_answer(host: AlpmState, name: str) -> Stand | None:
    """Version and source that a plain request for a name gets; None where it is refused."""
    chosen = host.choice_of(name)
    return stand_of(host, chosen) if chosen else None


def pictured(host: AlpmState, watched: Iterable[str]) -> list[Pictured]:
    """How every installed package stands, and some names that may not be installed."""
    stands = after_upgrade(host).stands
    found = []
    for here in host.pool.all_installed():
        _, stand = stands[here.name, here.arch]
        held = host.ignored.why(here) is not None
        offers = _offers(host, here.name)
        found.append(Pictured(here.name, here.arch, here.version, stand, held, offers))
    names = {one.name for one in found}
    for name in sorted(set(watched) - names):
        answer = first_answer(host, name)
        found.append(Pictured(name, host.native, None, answer, False, _offers(host, name)))
    return sorted(found)


def _offers(host: AlpmState, name: str) -> tuple[tuple[str, str, int], ...]:
    found = [
        (one.version, one.origin.handle, one.origin.rank)
        for one in host.pool.all_named(name)
        if not one.installed or host.offered_as(one) is None
    ]
    return tuple(dict.fromkeys(found))


def came_from(host: AlpmState, handle: str) -> list[str]:
    """Installed packages whose version a source has, and none that stands before it."""
    found = []
    for here in host.pool.all_installed():
        offered = host.offered_as(here)
        if offered is not None and offered.origin.handle == handle:
            found.append(here.name)
    return found


# -- names that are not installed ----------------------------------------------------------


Entry = tuple[bytes, int, int, bytes, bytes, int]
"""Name, which list, id in it, architecture, version, place (see `Index.columns`)."""


def turned(before: AlpmState, after: AlpmState) -> Iterator[Turned]:
    """Names that are not installed and would be answered otherwise, in byte order."""
    if before.refusal() or after.refusal():
        return
    indexes = {index.path: index for host in (before, after) for _, index in host.indexes}
    places = {path: at for at, path in enumerate(indexes)}
    was, now = _View(before, places), _View(after, places)
    if was == now:
        return
    installed = {name.encode() for name in after.installed_names()}
    rows = [index.columns(at) for at, index in enumerate(indexes.values())]
    for name, group in groupby(merge(*rows), itemgetter(0)):
        if name in installed:
            continue
        entries = list(group)
        one, other = was.answer(entries), now.answer(entries)
        if one != other:
            yield Turned(name.decode(), one, other)


class _View:
    """One host's answers for names, from the lines of its lists."""

    def __init__(self, host: AlpmState, places: dict[Path, int]) -> None:
        self._host = host
        self._sources: dict[int, AlpmSource] = {
            places[index.path]: source for source, index in host.indexes if source.installs
        }
        self._archs: dict[bytes, bool] = {}

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _View) and self._told() == other._told()

    __hash__ = None  # type: ignore[assignment]

    def _told(self) -> object:
        ranked = sorted(self._sources.items(), key=lambda one: one[1].rank)
        return [(place, one.handle) for place, one in ranked], self._host.archs

    def answer(self, entries: list[Entry]) -> Stand | None:
        """Version and source for a name; None where it is not to be had."""
        best: tuple[int, Entry] | None = None
        chosen: AlpmSource | None = None
        for entry in entries:
            source = self._sources.get(entry[1])
            if source is not None and (best is None or source.rank < best[0]):
                best, chosen = (source.rank, entry), source
        if best is None or chosen is None or not self._takes(best[1][3]):
            return None
        return best[1][4].decode(), chosen.handle

    def _takes(self, arch: bytes) -> bool:
        found = self._archs.get(arch)
        if found is None:
            found = self._archs[arch] = self._host.takes(arch.decode())
        return found
