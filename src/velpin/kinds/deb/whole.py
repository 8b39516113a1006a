"""The whole of a deb host at once: every installed package, every name that is offered.

Single forecasts ask for one name at a time; here one pass over the sorted lines of all
indexes answers tens of thousands of names, by the same rule. What needs more than numbers
and versions (specific records, one version in several forms, provided names, recorded
leftovers) is handed to the code that answers a single request.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping
from functools import cached_property, lru_cache
from heapq import merge
from itertools import groupby
from operator import itemgetter
from pathlib import Path
from typing import Final

from velpin.kinds.deb import choice
from velpin.kinds.deb.choice import Held, Origin, Package
from velpin.kinds.deb.forecast import forecast_upgrade
from velpin.kinds.deb.preferences import Record, expression_matches, is_pattern, take_apart
from velpin.kinds.deb.requests import No, decide, find_package
from velpin.kinds.deb.state import DebState
from velpin.kinds.deb.version import Key, version_key
from velpin.model import Request
from velpin.shifts import AfterUpgrade, Pictured, Stand, Turned


@lru_cache(maxsize=512)
def _newness(version: bytes) -> Key:
    """The key of a version; neighbours by name are often of one, and two hosts ask in turn."""
    return version_key.__wrapped__(version.decode())


def came_from(host: DebState, handle: str) -> list[str]:
    """Installed packages whose version the host takes from a source."""
    return sorted(
        name
        for name in set(host.installed_names())
        if any(
            one.installed and one.installed.source == handle for one in host.packages(name).values()
        )
    )


def after_upgrade(host: DebState) -> AfterUpgrade:
    """How every installed package would stand after the full upgrade.

    Where the host would refuse that, as each package would stand on its own.
    """
    told = forecast_upgrade(host)
    changed = {(one.name, host.unit_arch(one.arch)): one for one in told.changes}
    stands: dict[tuple[str, str], tuple[str, Stand | None]] = {}
    for row in host.installed_rows():
        key = row.name, host.unit_arch(row.arch)
        change = changed.get(key)
        if change is None:
            stand: Stand | None = _stand_alone(host, *key, free=not told.ok)
        else:
            stand = (change.new, change.source or "") if change.new else None
        stands[key] = row.version, stand
    return AfterUpgrade(stands, told.kept, told.problem)


def _stand_alone(host: DebState, name: str, arch: str, *, free: bool) -> Stand | None:
    """How a package stands that nothing changes; with `free`, by its own candidate."""
    package = host.packages(name).get(arch)
    found = package.installed if package else None
    if package and free and not package.held:
        found = choice.candidate(package) or found
    if found is None:
        return None
    return found.text, found.source


def first_answer(host: DebState, name: str) -> Stand | None:
    """Version and source that a plain request for a name gets; None where it is refused."""
    try:
        package = find_package(host, Request(name, name))
        chosen = decide(host, Request(name, name), package).chosen
    except No:
        return None
    return chosen.text, chosen.source


def pictured(host: DebState, watched: Iterable[str]) -> list[Pictured]:
    """How every installed package stands, and some names that may not be installed."""
    stands = after_upgrade(host).stands
    found = [
        _pictured(host.packages(name)[arch], stand) for (name, arch), (_, stand) in stands.items()
    ]
    names = {one.name for one in found}
    for name in sorted(set(watched) - names):
        package = next(iter(host.packages(name).values()), Package(name, host.native, []))
        found.append(_pictured(package, first_answer(host, name)))
    return sorted(found)


def _pictured(package: Package, stand: Stand | None) -> Pictured:
    offers = [
        (version.text, source, version.number.value)
        for version in package.versions
        for source in [held.origin.source for held in version.offered] or [""]
    ]
    installed = package.installed.text if package.installed else None
    unique = tuple(dict.fromkeys(offers))
    return Pictured(package.name, package.arch, installed, stand, package.held, unique)


def turned(before: DebState, after: DebState) -> Iterator[Turned]:
    """Names that are not installed and would be answered otherwise, in byte order."""
    if before.refusal() or after.refusal():
        return
    change = _Difference(before, after)
    was, now = _Answers(before, change.places), _Answers(after, change.places)
    installed = {name.encode() for name in after.installed_names()}
    for name, entries in change.affected():
        if name not in installed:
            one, other = was.answer(name, entries), now.answer(name, entries)
            if one != other:
                yield Turned(name.decode(), one, other)


Entry = tuple[bytes, int, int, bytes, bytes, int]
"""Name, which index, id in it, architecture, version, place in the index (see `Index.columns`)."""
_NAME: Final = 0
_INDEX: Final = 1
_ID: Final = 2
_ARCH: Final = 3
_VERSION: Final = 4
_PLACE: Final = 5
_ONE_ARCH = 2
"""Architectures of entries on a host of one: its own, and `all`."""


class _Difference:
    """What differs between two hosts, as far as it bears on the answers for names."""

    def __init__(self, before: DebState, after: DebState) -> None:
        self.hosts = before, after
        self.indexes = {
            index.path: index for host in self.hosts for _, index in host.indexes
        }  # fmt: skip
        self.places = {path: place for place, path in enumerate(self.indexes)}

    def affected(self) -> Iterator[tuple[bytes, list[Entry]]]:
        """Every name whose answer may differ, with its entries in all indexes."""
        changed = self._changed_indexes()
        named = _Names(self._changed_records())
        if not (changed or named.any):
            return
        provided = {
            name.encode() for index in self.indexes.values() for name in index.provided_names()
        }
        streams = [index.columns(self.places[path]) for path, index in self.indexes.items()]
        for name, group in groupby(merge(*streams), key=itemgetter(_NAME)):
            entries = list(group)
            if (
                any(one[_INDEX] in changed for one in entries)
                or name in provided
                or (named.any and named.may_mean(name.decode()))
            ):
                yield name, entries

    def _changed_indexes(self) -> set[int]:
        one, other = (
            {index.path: (origin.source, origin.number.value) for origin, index in host.indexes}
            for host in self.hosts
        )
        shared = [
            [index.path for _, index in host.indexes if index.path in one and index.path in other]
            for host in self.hosts
        ]
        if shared[0] != shared[1]:  # read in another order
            return set(self.places.values())
        return {self.places[path] for path in self.places if one.get(path) != other.get(path)}

    def _changed_records(self) -> list[Record]:
        """Specific records from the first on that is not the same, on either side."""
        one, other = ([r for r in host.preferences.records if not r.general] for host in self.hosts)
        told = [[(r.names, r.pin, r.number) for r in records] for records in (one, other)]
        common = [key for key in told[0] if key in told[1]]
        if common != [key for key in told[1] if key in told[0]]:
            return [*one, *other]
        kept = set(common)
        pairs = [*zip(one, told[0], strict=True), *zip(other, told[1], strict=True)]
        return [record for record, key in pairs if key not in kept]


class _Names:
    """Which names some specific records may speak of, whatever the architecture."""

    def __init__(self, records: Iterable[Record]) -> None:
        parts = [take_apart(text) for record in records for text in record.names]
        self.any = bool(parts)
        self._all = any(source for _, _, source in parts)
        self._exact = {name for name, _, _ in parts if not is_pattern(name)}
        self._patterns = [name for name, _, _ in parts if is_pattern(name)]

    def may_mean(self, name: str) -> bool:
        """Whether a record may speak of a name (of a source package: of every name)."""
        return (
            self._all
            or name in self._exact
            or any(expression_matches(pattern, name) for pattern in self._patterns)
        )


class _Answers:
    """Answers of one host for many names, from the entries of all indexes."""

    def __init__(self, host: DebState, places: Mapping[Path, int]) -> None:
        self._host = host
        self._origins: dict[int, Origin] = {places[index.path]: o for o, index in host.indexes}
        self._indexes = {places[index.path]: index for _, index in host.indexes}
        self._numbers = {at: origin.number.value for at, origin in self._origins.items()}
        self._orders = {at: origin.order for at, origin in self._origins.items()}
        self._named = _Names(r for r in host.preferences.records if not r.general)
        rows = host.record.all_rows() if host.record else ()
        self._recorded = {row.name.encode() for row in rows}
        self._archs = {
            arch.encode("utf-8", "surrogateescape"): place for place, arch in enumerate(host.archs)
        }
        self._archs[b"all"] = 0

    def answer(self, name: bytes, entries: list[Entry]) -> Stand | None:
        """What a plain request for a name gets."""
        if name in self._recorded:
            return first_answer(self._host, name.decode())
        live = self._of_first_arch(entries)
        if self._named.any and self._named.may_mean(name.decode()):
            found = self._by_records(name.decode(), live)
        else:
            found = self._by_numbers(live)
        if found is None and (name in self._provided or self._is_foreign_too(entries)):
            return first_answer(self._host, name.decode())
        return found

    def _is_foreign_too(self, entries: list[Entry]) -> bool:
        """Whether a name is there for another architecture than the host's first."""
        return any(one[_INDEX] in self._origins and self._archs.get(one[_ARCH]) for one in entries)

    @cached_property
    def _provided(self) -> set[bytes]:
        indexes = [index for _, index in self._host.indexes]
        indexes += [self._host.record] if self._host.record else []
        return {name.encode() for index in indexes for name in index.provided_names()}

    def _of_first_arch(self, entries: list[Entry]) -> list[Entry]:
        """The entries that count, in the order of reading."""
        origins, archs = self._origins, self._archs
        live = [one for one in entries if one[_INDEX] in origins and one[_ARCH] in archs]
        if len(live) > 1:
            if len(archs) > _ONE_ARCH:
                first = min(archs[one[_ARCH]] for one in live)
                live = [one for one in live if archs[one[_ARCH]] == first]
            live.sort(key=self._place)
        return live

    def _place(self, entry: Entry) -> tuple[int, int]:
        return self._orders[entry[_INDEX]], entry[_ID]

    def _by_records(self, name: str, live: list[Entry]) -> Stand | None:
        """The candidate of a name that specific records may speak of."""
        packages = self._host.gathered(name, [self._held(one) for one in live], [])
        for package in packages.values():
            chosen = choice.candidate(package)
            return (chosen.text, chosen.source) if chosen else None
        return None

    def _by_numbers(self, live: list[Entry]) -> Stand | None:
        """The candidate by the numbers of sources and by versions alone."""
        numbers = self._numbers
        if not live:
            return None
        best = live[0]
        top = numbers[best[_INDEX]]
        if len(live) > 1:
            top = max(numbers[one[_INDEX]] for one in live)
            best = _newest([one for one in live if numbers[one[_INDEX]] == top])
            best = best if best is live[0] else self._first_of_same(best, live)
        if top <= 0:
            return None
        return best[_VERSION].decode(), self._origins[best[_INDEX]].source

    def _first_of_same(self, best: Entry, live: list[Entry]) -> Entry:
        """The first listed entry that is the very same version: it is downloaded from there."""
        plain = _plain(best[_VERSION])
        for one in live:
            if one is best:
                break
            alike = one[_VERSION] == best[_VERSION] or _plain(one[_VERSION]) == plain
            if alike and self._host.is_same(self._held(one), self._held(best)):
                return one
        return best

    def _held(self, entry: Entry) -> Held:
        row = self._indexes[entry[_INDEX]].row_at(entry[_PLACE])
        return Held(self._origins[entry[_INDEX]], row)


def _newest(entries: list[Entry]) -> Entry:
    """The newest of some entries, the first listed of equal ones."""
    best, newness = entries[0], None
    for one in entries[1:]:
        if one[_VERSION] != best[_VERSION]:
            newness = newness or _newness(best[_VERSION])
            other = _newness(one[_VERSION])
            if other > newness:
                best, newness = one, other
    return best


@lru_cache(maxsize=512)
def _plain(version: bytes) -> bytes:
    """A version without what never tells two apart: zeros that lead, an epoch or revision of 0."""
    return _ZEROS.sub(b"", version).removeprefix(b":").removesuffix(b"-")


_ZEROS = re.compile(rb"(?<![0-9])0+")
