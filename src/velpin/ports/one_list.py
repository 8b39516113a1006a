"""What is alike on hosts whose sources have one list of packages each."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Iterable, Iterator, Mapping, Sequence
from functools import cached_property
from typing import TYPE_CHECKING, Generic, TypeVar

from velpin.errors import HostFileError, StoreError
from velpin.model.reasons import NoRecord, RecordOdd
from velpin.model.source import Source
from velpin.ports.indexes import Indexes

if TYPE_CHECKING:
    from velpin.model.host import SourceState
    from velpin.model.reason import Reason
    from velpin.store.index import Index

S = TypeVar("S", bound=Source)


class OneList(Indexes, Generic[S]):
    """Indexes of a host whose sources have one list each."""

    @property
    @abstractmethod
    def sources(self) -> Mapping[str, S]:
        """The sources by handle, those that are on in the order of reading."""

    @property
    def taking_part(self) -> Iterable[S]:
        """The sources that are on, in the order in which their lists are read."""
        return [source for source in self.sources.values() if source.on]

    @abstractmethod
    def index(self, source: S) -> Index | None:
        """Return the parsed list of a source; None if there is none."""

    @cached_property
    def _read(self) -> tuple[list[tuple[S, Index]], dict[str, HostFileError | StoreError]]:
        return self._read_lists(self.taking_part)

    def _read_lists(
        self, sources: Iterable[S]
    ) -> tuple[list[tuple[S, Index]], dict[str, HostFileError | StoreError]]:
        """The lists of some sources that have one, and why others could not be read."""
        found: list[tuple[S, Index]] = []
        damage: dict[str, HostFileError | StoreError] = {}
        for source in sources:
            try:
                index = self.index(source)
            except (HostFileError, StoreError) as problem:
                damage[source.handle] = problem
                continue
            if index is not None:
                found.append((source, index))
        return found, damage

    @property
    def opened(self) -> list[tuple[S, Index]]:
        """Parsed lists of the sources that are on, in the order of reading."""
        return self._read[0]

    @property
    def damage(self) -> dict[str, HostFileError | StoreError]:
        """Sources that are on whose list could not be read."""
        return self._read[1]

    def on(self) -> Sequence[Index]:
        """Lists of the sources that are on, in the order of reading."""
        return [index for _, index in self.opened]

    def off(self) -> Iterator[tuple[S, Index]]:
        """Parsed lists that are still there of sources switched off."""
        yield from self._read_lists(each for each in self.sources.values() if not each.on)[0]

    def of(self, source: Source) -> Sequence[Index]:
        """The list of one source, on or off, if there is one."""
        index = self.index(self.sources[source.handle])
        return [index] if index is not None else []

    def state_of(self, source: Source) -> SourceState:
        """Whether a source takes part."""
        if not source.on:
            return "off"
        return "on" if self.holder(source) else "not fetched"


def record_notes(record: Index | None) -> Iterator[Reason]:
    """What is odd in the record of packages."""
    if record is None:
        yield NoRecord()
    elif record.notes:
        yield RecordOdd(count=len(record.notes), what=record.notes[0].text)
