"""Indexes of the sources of a deb host, and the priority of each.

Observed rules: docs/how-hosts-choose/deb.md, "What counts".
"""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Iterable, Iterator, Sequence
from functools import cached_property, partial
from itertools import chain
from pathlib import Path
from typing import TYPE_CHECKING

from velpin.errors import HostFileError, StoreError
from velpin.kinds.deb import choice
from velpin.kinds.deb.choice import DebOrigin, DebPriority
from velpin.kinds.deb.copies import DebCopyFinder, index_name, site_of
from velpin.kinds.deb.preferences import NEVER, OWN_RECORD, release_pin
from velpin.kinds.deb.reasons import CopyDiffers, RecordEmptied
from velpin.kinds.deb.release import STRONG, Release, read_promises
from velpin.model.reason import Reason
from velpin.model.reasons import RecordOdd
from velpin.ports.indexes import Indexes
from velpin.store.cache import is_as_fetched
from velpin.store.index import IndexNote

if TYPE_CHECKING:
    from velpin.kinds.deb.choice import IndexEntry
    from velpin.kinds.deb.configuration import DebConfiguration
    from velpin.kinds.deb.copies import DebCopy
    from velpin.kinds.deb.preferences import Site
    from velpin.kinds.deb.record import DebRecord
    from velpin.kinds.deb.release import Promise
    from velpin.kinds.deb.sources import DebSource
    from velpin.model.host import SourceState
    from velpin.model.source import Source
    from velpin.ports.indexes import Holder
    from velpin.ports.view import View
    from velpin.store.index import Batch, Index, IndexPart, Notes
    from velpin.store.memo import Memo

OWN = "(installed)"
"""Stands where a source's handle would, for the host's own record of packages."""


class DebIndexes(Indexes):
    """The indexes of a deb host."""

    def __init__(self, view: View, recorded: DebRecord, configuration: DebConfiguration) -> None:
        self.tree, self.cache, self._view = view.tree, view.cache, view
        self.recorded, self.configuration = recorded, configuration

    @cached_property
    def copies(self) -> dict[str, DebCopy]:
        """For each source by handle the copy of its index that counts."""
        lists = self.configuration.conf.file("Dir::State", "lists", "lists")
        finder = DebCopyFinder(self.tree, self.cache, lists, as_is=self._view.as_is)
        return {source.handle: finder.find(source) for source in self.configuration.sources}

    @cached_property
    def origins(self) -> list[tuple[DebOrigin, Path]]:
        """Indexes of the sources that are on, in the order of reading, each with its file."""
        found: list[tuple[DebOrigin, Path]] = []
        for source in self.configuration.sources:
            if source.on:
                found += self.origins_of(source, len(found))
        return found

    def origins_of(self, source: DebSource, first: int = 0) -> list[tuple[DebOrigin, Path]]:
        """Indexes of one source, numbered from `first` in the order of reading."""
        copy = self.copies[source.handle]
        found: list[tuple[DebOrigin, Path]] = []
        for (component, arch), path in copy.files.items():
            site = site_of(source, copy.release, component, arch)
            priority = self._source_priority(site, copy.release)
            origin = DebOrigin(
                first + len(found), source.handle, component, source.url, site, priority
            )
            found.append((origin, path))
        return found

    @cached_property
    def own_origin(self) -> DebOrigin:
        """The host's own record of packages as an index."""
        priority = self._source_priority(OWN_RECORD, Release())
        return DebOrigin(1_000_000, OWN, "", "", OWN_RECORD, priority)

    def _source_priority(self, site: Site, release: Release) -> DebPriority:
        """The priority of a source: never, target release, first general record, its channel."""
        general = [r for r in self.configuration.preferences.general if r.pin.selects_site(site)]
        for record in general:
            if record.priority == NEVER:  # beats all else, wherever it stands
                return DebPriority(NEVER, "record", record)
        if self.configuration.target and release_pin(self.configuration.target).selects_site(site):
            return DebPriority(choice.TARGET, "target")
        for record in general:
            return DebPriority(record.priority, "record", record)
        if site.own:
            return DebPriority(choice.UPGRADES_ONLY, "own")
        if release.but_automatic_upgrades:
            return DebPriority(choice.UPGRADES_ONLY, "upgrades-only")
        if release.not_automatic:
            return DebPriority(choice.NOT_AUTOMATIC, "not-automatic")
        return DebPriority(choice.UNMARKED, "default")

    def index(self, path: Path) -> Index:
        """The parsed index of one index file."""
        return self.cache.parsed(path, partial(_parts, promise_of=self._promise_of))

    def _promise_of(self, path: Path) -> Promise | None:
        """What the installer's release file promises of its own copy of an index."""
        for source in self.configuration.sources:
            copy = self.copies[source.handle]
            for (component, arch), file in copy.files.items():
                if file == path and copy.release_file:
                    promises = read_promises(
                        self.tree.read(copy.release_file) or b"", copy.release_file
                    )
                    return promises.get(index_name(source, component, arch))
        return None

    @property
    def opened(self) -> list[tuple[DebOrigin, Index]]:
        """Parsed indexes of the sources that are on; damaged ones are left to `damage`."""
        return self._read[0]

    @property
    def damage(self) -> dict[str, HostFileError | StoreError]:
        """Sources that are on whose index could not be read."""
        return self._read[1]

    @cached_property
    def _read(self) -> tuple[list[tuple[DebOrigin, Index]], dict[str, HostFileError | StoreError]]:
        found: list[tuple[DebOrigin, Index]] = []
        damage: dict[str, HostFileError | StoreError] = {}
        for origin, path in self.origins if self._view.has_indexes else ():
            try:
                found.append((origin, self.index(path)))
            except (HostFileError, StoreError) as problem:
                damage[origin.source] = problem
        return found, damage

    # -- as the core asks --------------------------------------------------------------------

    @property
    def record(self) -> Index | None:
        """The record of installed packages."""
        return self.recorded.index

    def on(self) -> Sequence[Index]:
        """Indexes of the sources that are on, in the order of reading."""
        return [index for _, index in self.opened]

    def off(self) -> Iterator[tuple[DebSource, Index]]:
        """Parsed indexes that are still there of sources switched off."""
        for source in self.configuration.sources:
            if source.on:
                continue
            for path in self.copies[source.handle].files.values():
                try:
                    yield source, self.index(path)
                except (HostFileError, StoreError):
                    continue

    def of(self, source: Source) -> Sequence[Index]:
        """Indexes of one source, on or off."""
        return [self.index(path) for path in self.copies[source.handle].files.values()]

    def holder(self, source: Source) -> Holder:
        """Who fetched the indexes of a source that count."""
        return self.copies[source.handle].holder

    def dates(self) -> Iterable[float | None]:
        """When the indexes that take part were made."""
        return [
            self.copies[source.handle].release.date
            for source in self.configuration.sources
            if source.on
        ]

    def state_of(self, source: Source) -> SourceState:
        """Whether a source takes part."""
        if not source.on:
            return "off"
        return "on" if self.copies[source.handle].files else "not fetched"

    def notes(self) -> Iterator[Reason]:
        """Copies that are not what was promised, and an emptied record of packages."""
        differing = {
            origin.source for origin, index in self.opened
            if any(note.code == "not-as-promised" for note in index.notes)
        }  # fmt: skip
        yield from (CopyDiffers(source=handle) for handle in sorted(differing))
        if self.recorded.emptied():
            yield RecordEmptied(file=self.recorded.file, saved=self.recorded.emptied())
        if self.record and self.record.notes:
            notes = self.record.notes
            yield RecordOdd(count=len(notes), what=notes[0].text)

    # -- names -------------------------------------------------------------------------------

    def offered_names(self) -> set[str]:
        """Every name that a source that is on offers."""
        found: set[str] = set()
        for origin, index in self.opened:
            names = index.names()
            if origin.source in self.configuration.limits:
                names = [name for name in names if self.configuration.takes(origin.source, name)]
            found.update(names)
        return found

    @cached_property
    def names_by_source(self) -> dict[str, frozenset[str]]:
        """Names that sources that are on offer, by handle, as far as they were asked for."""
        return {}

    def essential_names(self) -> set[str]:
        """Names of packages that a source that is on marks as essential."""
        named = {name for _, index in self.opened for name in index.marked}
        return named | self.configuration.forced_essential

    def in_order_of_sight(self, names: Sequence[str]) -> list[str]:
        """Names in the order in which the host first comes across them."""
        from velpin.kinds.deb.transaction.seen import in_order_of_sight

        wanted = sorted(names)
        found = [index for _, index in self.opened]
        found += [self.record] if self.record else []

        def look() -> list[str]:
            blocks = chain.from_iterable(index.blocks() for index in found)
            return in_order_of_sight(blocks, wanted)

        return self._memo.names("seen: " + " ".join(wanted), look)

    @cached_property
    def _memo(self) -> Memo:
        return self.cache.memo([index for _, index in self.opened])

    def text(self, held: IndexEntry) -> bytes:
        """The whole text of one entry."""
        index = self.recorded.index if held.origin.site.own else self._index_of[held.origin.order]
        return index.text(held.row) if index else b""

    @cached_property
    def _index_of(self) -> dict[int, Index]:
        return {origin.order: index for origin, index in self.opened}


_NOT_AS_PROMISED = "is not what its release file promises; it may be cut off"


def _parts(
    path: Path, promise_of: Callable[[Path], Promise | None]
) -> Callable[[], list[IndexPart]]:
    """What makes the readers of an index, where it is read: that may be a process which cannot
    look up what was promised."""
    if not is_as_fetched(path):
        raise HostFileError(str(path), 0, "is not as it was fetched; velpin refresh mends it")
    promise = None
    with contextlib.suppress(HostFileError):
        promise = promise_of(path)
    return partial(_readers, path, promise)


def _readers(path: Path, promise: Promise | None) -> list[IndexPart]:
    from velpin.fetch.unpack import unpacked
    from velpin.kinds.deb.stanzas import parts_of

    if promise is None or promise.digest not in STRONG:
        return parts_of(unpacked(path))
    found = _Measure(promise.digest)
    first, *rest = parts_of(unpacked(path), watch=found.update)

    def checked(notes: Notes) -> Iterator[Batch]:
        yield from first(notes)
        if (found.size, found.value) != (promise.size, promise.value):
            notes.append(IndexNote(0, _NOT_AS_PROMISED, "not-as-promised"))

    return [checked, *rest]


class _Measure:
    """How many bytes came, and their digest."""

    def __init__(self, digest: str) -> None:
        import hashlib

        self.size, self._told = 0, hashlib.new(digest)

    def update(self, piece: bytes) -> None:
        """Take in some more."""
        self.size += len(piece)
        self._told.update(piece)

    @property
    def value(self) -> str:
        """The digest in hexadecimal digits."""
        return self._told.hexdigest()
