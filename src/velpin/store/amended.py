"""A record of installed packages as a transaction would leave it; nothing of it is kept."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from functools import cached_property
from typing import NamedTuple

from velpin.store.index import Index, Notes, Row

LinksOf = Callable[[bytes], Mapping[str, Iterable[str]]]
"""From an entry's text to the names that it has links of each kind to."""


class Coming(NamedTuple):
    """An entry of a source's index whose package is installed then."""

    origin: Index
    row: Row


class Amendment(NamedTuple):
    """What a transaction makes of the record of installed packages."""

    gone: frozenset[int] = frozenset()
    """The ids of the record's rows that are no longer there."""
    coming: tuple[Coming, ...] = ()
    automatic: frozenset[tuple[str, str]] = frozenset()
    """Name and architecture of those that come for others only."""


class AmendedIndex(Index):
    """A record with an amendment: the rows that stay and those that come, numbered anew in the
    order of the record; the new ones stand where their names belong."""

    is_kept = False

    def __init__(
        self, base: Index, amendment: Amendment, state: str, links_of: LinksOf | None = None
    ) -> None:
        self.path, self.stamp, self.schema = base.path, base.stamp, base.schema
        self._base, self._coming, self._links_of = base, amendment.coming, links_of
        left = [row for row in base.all_rows() if row.id not in amendment.gone]
        left.sort(key=lambda row: row.id)
        come = [
            coming.row._replace(state=state, block=-1 - at)
            for at, coming in enumerate(amendment.coming)
        ]
        names = [row.name for row in left]
        rows = [*left, *come]
        if names == sorted(names):
            rows.sort(key=lambda row: row.name)
        self._new_ids = {row.id: at for at, row in enumerate(rows) if row.block >= 0}
        self._all = [row._replace(id=at) for at, row in enumerate(rows)]

    @property
    def count(self) -> int:
        """How many entries it holds."""
        return len(self._all)

    @property
    def notes(self) -> Notes:
        """What was odd in the record as it is."""
        return self._base.notes

    @property
    def marked(self) -> set[str]:
        """What stands out in the record as it is."""
        return self._base.marked

    @cached_property
    def _by_name(self) -> dict[str, list[Row]]:
        found: dict[str, list[Row]] = {}
        for row in self._all:
            found.setdefault(row.name, []).append(row)
        return found

    @cached_property
    def _come(self) -> list[Row]:
        return [row for row in self._all if row.block < 0]

    def _coming_of(self, row: Row) -> Coming:
        return self._coming[-1 - row.block]

    def rows(self, name: str) -> list[Row]:
        """All entries of a name, in the order of the record."""
        return list(self._by_name.get(name, ()))

    def all_rows(self) -> Iterator[Row]:
        """Every entry."""
        return iter(self._all)

    def names(self) -> list[str]:
        """Every package name, once, in byte order."""
        return sorted(self._by_name)

    def names_as_bytes(self) -> set[bytes]:
        """Every package name as it stands in the index."""
        return {name.encode("utf-8", "surrogateescape") for name in self._by_name}

    def text(self, row: Row) -> bytes:
        """The whole text of one entry."""
        if row.block >= 0:
            return self._base.text(row)
        coming = self._coming_of(row)
        return coming.origin.text(coming.row)

    def blocks(self) -> Iterator[bytes]:
        """The texts of the record as it is."""
        return self._base.blocks()

    def providers(self, name: str) -> list[Row]:
        """Entries that provide a name, in the order of the record."""
        come = [
            row
            for row in self._come
            if any(found.id == self._coming_of(row).row.id for found in self._provide(row, name))
        ]
        return self._in_order(self._base.providers(name), come)

    def _provide(self, row: Row, name: str) -> Sequence[Row]:
        return self._coming_of(row).origin.providers(name)

    def linked(self, kind: str, name: str) -> list[Row]:
        """Entries with a link of a kind to a name, in the order of the record."""
        come = [row for row in self._come if name in self._links[row.id].get(kind, ())]
        return self._in_order(self._base.linked(kind, name), come)

    def _in_order(self, found: Iterable[Row], come: Iterable[Row]) -> list[Row]:
        ids = [self._new_ids[row.id] for row in found if row.id in self._new_ids]
        return [self._all[at] for at in sorted([*ids, *(row.id for row in come)])]

    @cached_property
    def _links(self) -> dict[int, Mapping[str, Iterable[str]]]:
        if self._links_of is None:
            return {row.id: {} for row in self._come}
        return {row.id: self._links_of(self.text(row)) for row in self._come}

    def link_table(self, kind: str) -> dict[str, list[tuple[str, int]]]:
        """All links of a kind at once: by name the owners' names and ids."""
        found: dict[str, list[tuple[str, int]]] = {}
        for name, owners in self._base.link_table(kind).items():
            left = [(owner, self._new_ids[at]) for owner, at in owners if at in self._new_ids]
            if left:
                found[name] = left
        for row in self._come:
            for name in self._links[row.id].get(kind, ()):
                found.setdefault(name, []).append((row.name, row.id))
        return found

    def all_linked(self, kind: str) -> list[str]:
        """Every name that some entry has a link of a kind to, once, in byte order."""
        return sorted(self.link_table(kind))

    def provided_names(self) -> list[str]:
        """Every name that the record as it is provides."""
        return self._base.provided_names()
