"""What is alike on hosts whose sources have one list of packages each."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from typing import TypeVar

from velpin.errors import HostFileError, StoreError
from velpin.model.reason import Reason
from velpin.model.reasons import NoRecord, RecordOdd
from velpin.model.source import Source
from velpin.store.index import Index

S = TypeVar("S", bound=Source)


def read_lists(
    sources: Iterable[S], open_: Callable[[S], Index | None]
) -> tuple[list[tuple[S, Index]], dict[str, HostFileError | StoreError]]:
    """The lists of some sources that have one, and why others could not be read, by handle."""
    found: list[tuple[S, Index]] = []
    damage: dict[str, HostFileError | StoreError] = {}
    for source in sources:
        try:
            index = open_(source)
        except (HostFileError, StoreError) as problem:
            damage[source.handle] = problem
            continue
        if index is not None:
            found.append((source, index))
    return found, damage


def lists_off(
    sources: Iterable[S], open_: Callable[[S], Index | None]
) -> Iterator[tuple[S, Index]]:
    """The lists that are still there of sources switched off."""
    found, _ = read_lists((source for source in sources if not source.on), open_)
    yield from found


def record_notes(record: Index | None) -> Iterator[Reason]:
    """What is odd in the record of packages."""
    if record is None:
        yield NoRecord()
    elif record.notes:
        yield RecordOdd(count=len(record.notes), what=record.notes[0].text)
