"""The whole of a deb host at once: every installed package, every name that is offered.

Single forecasts ask for one name at a time; here one pass over the sorted lines of all
indexes answers tens of thousands of names, by the same rule. What needs more than priorities
and versions (specific records, one version in several forms, provided names, recorded
leftovers) is handed to the code that answers a single request.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from functools import cached_property, lru_cache
from pathlib import Path
from typing import Final, Self

from velpin.kinds.deb import choice
from velpin.kinds.deb.choice import DebOrigin, IndexEntry
from velpin.kinds.deb.preferences import (
    NEVER,
    Record,
    expression,
    is_pattern,
    take_apart,
)
from velpin.kinds.deb.requests import DebRequestRefused, decide, find_package
from velpin.kinds.deb.state import DebState
from velpin.kinds.deb.version import is_newer_text
from velpin.model.request import Request
from velpin.model.shift import Selection
from velpin.ports.answers import AnswerComparison, Answers
from velpin.ports.packages import Installed
from velpin.store.index import Index, IndexLine


class DebAnswers(Answers):
    """What names get on a deb host."""

    def __init__(self, state: DebState) -> None:
        self._state = state

    def next_alone(self, here: Installed) -> Selection | None:
        """The candidate of an installed package, itself where there is none."""
        arch = self._state.configuration.unit_arch(here.arch)
        package = self._state.packages.named(here.name)[arch]
        found = choice.candidate(package) or package.installed
        return Selection(found.text, found.source) if found else None

    def first(self, name: str) -> Selection | None:
        """Version and source that a plain request for a name gets; None where it is refused."""
        try:
            package = find_package(self._state, Request(name, name))
            chosen = decide(self._state, Request(name, name), package).chosen
        except DebRequestRefused:
            return None
        return Selection(chosen.text, chosen.source)

    def compare(self, before: Self, places: Mapping[Path, int]) -> AnswerComparison | None:
        """How answers for names compare; None where neither an index nor a record differs."""
        change = _Difference(before._state, self._state, places)
        if not (change.indexes or any(change.records)):
            return None
        return AnswerComparison(
            _Answers(before._state, places).answer, _Answers(self._state, places).answer,
            change.indexes, change.names,
        )  # fmt: skip


_INDEX: Final = 1
_ID: Final = 2
_ARCH: Final = 3
_VERSION: Final = 4
_PLACE: Final = 5
_UNSAID = Selection("", "")
"""Stands for an answer that was not worked out."""
_ONE_ARCH = 2
"""Architectures of entries on a host of one: its own, and `all`."""


def _provided(indexes: Iterable[Index]) -> set[bytes]:
    """Names that entries of some indexes provide."""
    return set().union(*(index.provided_as_bytes() for index in indexes))


class _Difference:
    """What differs between two hosts, as far as it bears on the answers for names."""

    def __init__(self, before: DebState, after: DebState, places: Mapping[Path, int]) -> None:
        self.states, self.places = (before, after), places
        self.indexes = self._changed_indexes()
        self.records = self._changed_records()
        self.named = _Names(
            record
            for state, records in zip(self.states, self.records, strict=True)
            for record, selected in _selections(state, records).items()
            if selected is None or selected
        )

    @property
    def names(self) -> set[bytes]:
        """Names whose answers may differ though none of the changed indexes has them: what others
        provide, and what a changed record may mention."""
        indexes = {
            index.path: index for state in self.states for _, index in state.indexes.opened
        }.values()
        found = _provided(indexes)
        if self.named.any:
            names = {name for index in indexes for name in index.names()}
            found.update(name.encode() for name in self.named.among(names))
        changed = _Names(record for records in self.records for record in records)
        if changed.any:  # the host's own record is a place that a record may mean too
            found.update(name.encode() for name in changed.among(self._recorded))
        return found

    @property
    def _recorded(self) -> set[str]:
        own = (state.recorded.index for state in self.states)
        return {name for index in own if index for name in index.names()}

    def _changed_indexes(self) -> set[int]:
        one, other = (
            {
                index.path: (
                    origin.source,
                    origin.priority.value,
                    state.configuration.limits.get(origin.source),
                )
                for origin, index in state.indexes.opened
            }
            for state in self.states
        )
        shared = [
            [
                index.path
                for _, index in state.indexes.opened
                if index.path in one and index.path in other
            ]
            for state in self.states
        ]
        if shared[0] != shared[1]:  # read in another order
            return set(self.places.values())
        return {self.places[path] for path in self.places if one.get(path) != other.get(path)}

    def _changed_records(self) -> tuple[list[Record], list[Record]]:
        """Specific records that are not on both sides, of either; all of them if the others stand
        in another order."""
        one, other = (
            [r for r in state.configuration.preferences.records if not r.general]
            for state in self.states
        )
        told = [[(r.names, r.pin, r.priority) for r in records] for records in (one, other)]
        common = [key for key in told[0] if key in told[1]]
        if common != [key for key in told[1] if key in told[0]]:
            return one, other
        kept = set(common)
        left, right = (
            [record for record, key in zip(records, keys, strict=True) if key not in kept]
            for records, keys in ((one, told[0]), (other, told[1]))
        )
        return left, right


def _selections(state: DebState, records: Iterable[Record]) -> dict[Record, set[Path] | None]:
    """Of each record the indexes that it selects, whatever the version; None for one that selects
    versions. A record that selects no index decides nothing of what is offered."""
    return {
        record: None
        if record.pin.kind in ("version", "source-version")
        else {
            index.path
            for origin, index in state.indexes.opened
            if record.pin.selects_site(origin.site)
        }
        for record in records
    }


class _Names:
    """Which names some records may mention, whatever the architecture."""

    def __init__(self, records: Iterable[Record]) -> None:
        parts = [take_apart(text) for record in records for text in record.names]
        self.any = bool(parts)
        self._all = any(source for _, _, source in parts)
        self._exact = {name for name, _, _ in parts if not is_pattern(name)}
        self._patterns = [expression(name) for name, _, _ in parts if is_pattern(name)]

    def among(self, names: set[str]) -> set[str]:
        """Those of some names that a record may mention."""
        if self._all:
            return names
        found = names & self._exact
        for means in self._patterns:
            found |= set(filter(means, names))
        return found

    def may_mean(self, name: str) -> bool:
        """Whether a record may mention a name (of a source package: of every name)."""
        return self._all or name in self._exact or any(means(name) for means in self._patterns)


class _Answers:
    """Answers of one host for many names, from the entries of all indexes."""

    def __init__(self, state: DebState, places: Mapping[Path, int]) -> None:
        self._state = state
        self._origins: dict[int, DebOrigin] = {
            places[index.path]: o for o, index in state.indexes.opened
        }
        self._indexes = {places[index.path]: index for _, index in state.indexes.opened}
        self._priorities = {at: origin.priority.value for at, origin in self._origins.items()}
        self._orders = {at: origin.order for at, origin in self._origins.items()}
        found = _selections(
            state, (r for r in state.configuration.preferences.records if not r.general)
        )
        self._selected = {
            record.order: {places[path] for path in paths} if paths is not None else None
            for record, paths in found.items()
            if paths is None or paths
        }
        deciding = [record for record in found if record.order in self._selected]
        self._named = _Names(deciding)
        self._by_site = (
            None not in self._selected.values()
            and not any(take_apart(text)[2] for record in deciding for text in record.names)
            and not state.packages.phasing.decides_priority
        )
        rows = state.recorded.index.all_rows() if state.recorded.index else ()
        self._recorded = {row.name.encode() for row in rows}
        self._archs = {
            arch.encode("utf-8", "surrogateescape"): place
            for place, arch in enumerate(state.configuration.archs)
        }
        self._archs[b"all"] = 0

    def answer(self, name: bytes, entries: list[IndexLine]) -> Selection | None:
        """What a plain request for a name gets."""
        if name in self._recorded:
            return DebAnswers(self._state).first(name.decode())
        live = self._of_first_arch(name, entries)
        if self._named.any and self._named.may_mean(name.decode()):
            found = self._by_site_records(name, live) if self._by_site else _UNSAID
            if found is _UNSAID:
                found = self._by_records(name.decode(), live)
        else:
            found = self._by_priorities(live)
        if found is None and (name in self._provided or self._is_foreign_too(entries)):
            return DebAnswers(self._state).first(name.decode())
        return found

    def _is_foreign_too(self, entries: list[IndexLine]) -> bool:
        """Whether a name is there for another architecture than the host's first."""
        return any(
            entry[_INDEX] in self._origins and self._archs.get(entry[_ARCH]) for entry in entries
        )

    @cached_property
    def _provided(self) -> set[bytes]:
        indexes = [index for _, index in self._state.indexes.opened]
        return _provided(
            [*indexes, self._state.recorded.index] if self._state.recorded.index else indexes
        )

    def _takes(self, name: bytes, entry: IndexLine) -> bool:
        return self._state.configuration.takes(self._origins[entry[_INDEX]].source, name.decode())

    def _of_first_arch(self, name: bytes, entries: list[IndexLine]) -> list[IndexLine]:
        """The entries that count, in the order of reading."""
        origins, archs = self._origins, self._archs
        live = [entry for entry in entries if entry[_INDEX] in origins and entry[_ARCH] in archs]
        if self._state.configuration.limits:
            live = [entry for entry in live if self._takes(name, entry)]
        if len(live) > 1:
            if len(archs) > _ONE_ARCH:
                first = min(archs[entry[_ARCH]] for entry in live)
                live = [entry for entry in live if archs[entry[_ARCH]] == first]
            live.sort(key=self._place)
        return live

    def _place(self, entry: IndexLine) -> tuple[int, int]:
        return self._orders[entry[_INDEX]], entry[_ID]

    def _by_site_records(self, name: bytes, live: list[IndexLine]) -> Selection | None:
        """The candidate of a name that records mention which select sources; `_UNSAID` if two
        entries may be one version: then a record that selects either decides on both."""
        first = min((self._archs[entry[_ARCH]] for entry in live), default=0)
        if first or len({_plain(entry[_VERSION]) for entry in live}) < len(live):
            return _UNSAID
        records = self._state.configuration.matcher.records_of(
            name.decode(), self._state.configuration.native, ""
        )
        top, ranked = 0, []
        for entry in live:
            priority = self._priorities[entry[_INDEX]]
            if priority != NEVER:
                for record in records:
                    if entry[_INDEX] in (self._selected.get(record.order) or ()):
                        priority = record.priority
                        break
            ranked.append((priority, entry))
            top = max(top, priority)
        chosen = [entry for priority, entry in ranked if priority == top]
        if top <= 0 or not chosen:
            return None
        best = _newest(chosen)
        return Selection(best[_VERSION].decode(), self._origins[best[_INDEX]].source)

    def _by_records(self, name: str, live: list[IndexLine]) -> Selection | None:
        """The candidate of a name that specific records may mention."""
        packages = self._state.packages.gathered(name, [self._held(entry) for entry in live], [])
        for package in packages.values():
            chosen = choice.candidate(package)
            return Selection(chosen.text, chosen.source) if chosen else None
        return None

    def _by_priorities(self, live: list[IndexLine]) -> Selection | None:
        """The candidate by the priorities of sources and by versions alone."""
        priorities = self._priorities
        if not live:
            return None
        best = live[0]
        top = priorities[best[_INDEX]]
        if len(live) > 1:
            top = max(priorities[entry[_INDEX]] for entry in live)
            best = _newest([entry for entry in live if priorities[entry[_INDEX]] == top])
            best = best if best is live[0] else self._first_of_same(best, live)
        if top <= 0:
            return None
        return Selection(best[_VERSION].decode(), self._origins[best[_INDEX]].source)

    def _first_of_same(self, best: IndexLine, live: list[IndexLine]) -> IndexLine:
        """The first listed entry that is the very same version: it is downloaded from there."""
        plain = _plain(best[_VERSION])
        for entry in live:
            if entry is best:
                break
            alike = entry[_VERSION] == best[_VERSION] or _plain(entry[_VERSION]) == plain
            if alike and self._state.packages.is_same(self._held(entry), self._held(best)):
                return entry
        return best

    def _held(self, entry: IndexLine) -> IndexEntry:
        row = self._indexes[entry[_INDEX]].row_at(entry[_PLACE])
        return IndexEntry(self._origins[entry[_INDEX]], row)


def _newest(entries: list[IndexLine]) -> IndexLine:
    """The newest of some entries, the first listed of equal ones."""
    best = entries[0]
    for entry in entries[1:]:
        if entry[_VERSION] != best[_VERSION] and is_newer_text(entry[_VERSION], best[_VERSION]):
            best = entry
    return best


@lru_cache(maxsize=512)
def _plain(version: bytes) -> bytes:
    """A version without what never tells two apart: zeros that lead, an epoch or revision of 0."""
    return _ZEROS.sub(b"", version).removeprefix(b":").removesuffix(b"-")


_ZEROS = re.compile(rb"(?<![0-9])0+")
