"""The whole of an rpm host at once: every installed package, every name that is offered.

Single forecasts ask for one name at a time; here one pass over the sorted lines of all
lists answers tens of thousands of names by the same rule. What needs more than numbers,
architectures and versions is handed to the code that answers a single request.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from functools import cached_property
from heapq import merge
from itertools import groupby
from operator import itemgetter
from pathlib import Path

from velpin.kinds.rpm.forecast import forecast_upgrade
from velpin.kinds.rpm.pool import Build
from velpin.kinds.rpm.source import RpmSource
from velpin.kinds.rpm.state import RpmState
from velpin.kinds.rpm.version import compare
from velpin.shifts import AfterUpgrade, Pictured, Stand, Turned


def after_upgrade(host: RpmState) -> AfterUpgrade:
    """How every installed package would stand after the full upgrade.

    Where the host would refuse that, as each package would stand on its own.
    """
    told = forecast_upgrade(host)
    changed = {(one.name, one.arch): one for one in told.changes if one.old}
    stands: dict[tuple[str, str], tuple[str, Stand | None]] = {}
    for build in host.pool.all_installed():
        key = build.name, build.arch
        change = changed.get(key) or next(
            (one for one in told.changes if one.name == build.name and one.old == build.version),
            None,
        )
        if change is not None:
            stand: Stand | None = (change.new, change.source or "") if change.new else None
        else:
            stand = _stand_alone(host, build, free=not told.ok)
        stands[key] = build.version, stand
    return AfterUpgrade(stands, told.kept, told.problem)


def _stand_alone(host: RpmState, build: Build, *, free: bool) -> Stand:
    """How a package stands that nothing changes; with `free`, by its own best update."""
    chosen = host.choice_of(build.name) if free else build
    return stand_of(host, chosen or build)


def stand_of(host: RpmState, build: Build) -> Stand:
    """A build as a version and the source that has it."""
    offered = host.offered_as(build) if build.installed else build
    return build.version, offered.origin.handle if offered else ""


def first_answer(host: RpmState, name: str) -> Stand | None:
    """Version and source that a plain request for a name gets; None where it is refused."""
    chosen = host.choice_of(name)
    return stand_of(host, chosen) if chosen else None


def pictured(host: RpmState, watched: Iterable[str]) -> list[Pictured]:
    """How every installed package stands, and some names that may not be installed."""
    stands = after_upgrade(host).stands
    found = []
    for build in host.pool.all_installed():
        _, stand = stands[build.name, build.arch]
        held = host.why_locked(build) is not None
        found.append(
            Pictured(build.name, build.arch, build.version, stand, held, _offers(host, build.name))
        )
    names = {one.name for one in found}
    for name in sorted(set(watched) - names):
        offers = _offers(host, name)
        found.append(Pictured(name, host.native, None, first_answer(host, name), False, offers))
    return sorted(found)


def _offers(host: RpmState, name: str) -> tuple[tuple[str, str, int], ...]:
    found = [
        (one.version, one.origin.handle, one.origin.number)
        for one in host.pool.all_named(name)
        if not one.installed or host.offered_as(one) is None
    ]
    return tuple(dict.fromkeys(found))


def came_from(host: RpmState, handle: str) -> list[str]:
    """Installed packages whose version a source has, and none that is read before it."""
    found = set()
    for build in host.pool.all_installed():
        offered = host.offered_as(build)
        if offered is not None and offered.origin.handle == handle:
            found.add(build.name)
    return sorted(found)


# -- names that are not installed ----------------------------------------------------------


Entry = tuple[bytes, int, int, bytes, bytes, int]
"""Name, which list, id in it, architecture, version, place (see `Index.columns`)."""


def turned(before: RpmState, after: RpmState) -> Iterator[Turned]:
    """Names that are not installed and would be answered otherwise, in byte order."""
    if before.refusal() or after.refusal():
        return
    indexes = {index.path: index for host in (before, after) for _, index in host.indexes}
    places = {path: at for at, path in enumerate(indexes)}
    changed = _changed(before, after)
    everywhere = before.common_settings != after.common_settings
    touched = {
        places[index.path]
        for host in (before, after)
        for source, index in host.indexes
        if source.handle in changed
    }
    if not (touched or everywhere):
        return
    was, now = _View(before, places), _View(after, places)
    installed = {name.encode() for name in after.installed_names()}
    special = was.special | now.special
    rows = [index.columns(at) for at, index in enumerate(indexes.values())]
    for name, group in groupby(merge(*rows), itemgetter(0)):
        entries = list(group)
        if not (everywhere or name in special) and not any(e[1] in touched for e in entries):
            continue
        if name in installed:
            continue
        one, other = was.answer(name, entries), now.answer(name, entries)
        if one != other:
            yield Turned(name.decode(), one, other)


def _changed(before: RpmState, after: RpmState) -> set[str]:
    """Handles of sources that are not the same before and after."""

    def told(host: RpmState) -> dict[str, tuple[object, ...]]:
        order = {source.handle: at for at, source in enumerate(host.read_order)}
        return {
            source.handle: (source.settings, index.path, order[source.handle])
            for source, index in host.indexes
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


class _View:
    """One host's answers for names, from the lines of its lists."""

    def __init__(self, host: RpmState, places: dict[Path, int]) -> None:
        self._host = host
        self._sources: dict[int, tuple[int, RpmSource]] = {
            places[index.path]: (at, source) for at, (source, index) in enumerate(host.indexes)
        }
        self._ranks: dict[bytes, int] = {}

    def answer(self, name: bytes, entries: list[Entry]) -> Stand | None:
        """Version and source for a name; None where it is not to be had."""
        if name in self.special:
            return first_answer(self._host, name.decode())
        best: tuple[int, int, str, int, int, int] | None = None
        chosen: tuple[str, RpmSource] | None = None
        for entry in entries:
            found = self._sources.get(entry[1])
            if found is None:
                continue
            at, source = found
            rank = self._rank(entry[3])
            if rank < 0:
                continue
            version = entry[4].decode()
            if self._filtered and self._host.filters(
                source, name.decode(), entry[3].decode(), version
            ):
                continue
            key = (source.number, rank, version, source.cost, at, entry[2])
            if best is None or _before(key, best):
                best, chosen = key, (version, source)
            elif self._host.ties_matter and best[:3] == key[:3]:
                return first_answer(self._host, name.decode())
        return (chosen[0], chosen[1].handle) if chosen else None

    def _rank(self, arch: bytes) -> int:
        found = self._ranks.get(arch)
        if found is None:
            text = arch.decode()
            archs = self._host.archs
            found = self._ranks[arch] = archs.rank(text) if archs.takes(text) else -1
        return found

    @cached_property
    def _filtered(self) -> bool:
        return self._host.has_filters

    @cached_property
    def special(self) -> frozenset[bytes]:
        """Names that need more than their own lines: those that something replaces, and
        those that modules speak of."""
        return frozenset(name.encode() for name in self._host.special_names)


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
