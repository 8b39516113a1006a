"""All packages that can take part on one host: the installed ones and what sources offer.

Nothing is loaded: a package becomes a `Package` when it is first met.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from functools import cached_property

from velpin.kinds.alpm.entry import AlpmFacts, AlpmLink, read_facts
from velpin.kinds.alpm.relation import AlpmRelation, fits, provision_fits
from velpin.kinds.alpm.source import AlpmSource
from velpin.store.index import Index, Row


@dataclass(eq=False, slots=True)
class AlpmOrigin:
    """One list of packages: a source's, or the host's own record."""

    source: AlpmSource | None
    index: Index
    packages: dict[str, AlpmPackage | None] = field(default_factory=dict)

    @property
    def handle(self) -> str:
        """The handle of its source, empty for the host's own record."""
        return self.source.handle if self.source else ""

    @property
    def rank(self) -> int:
        """The place of its section, 0 for the host's own record."""
        return self.source.rank if self.source else 0

    def named(self, name: str) -> AlpmPackage | None:
        """Its package of a name."""
        if name not in self.packages:
            row = next(iter(self.index.rows(name)), None)
            self.packages[name] = AlpmPackage(self, row) if row else None
        return self.packages[name]

    def providing(self, name: str) -> list[AlpmPackage]:
        """Its packages that provide a name under another one, in the byte order of names."""
        return [
            package for package in self._linked(self.index.providers(name)) if package.name != name
        ]

    def linked(self, kind: AlpmLink, name: str) -> list[AlpmPackage]:
        """Its packages that mention a name in relations of a kind, in the order of names."""
        return self._linked(self.index.linked(kind, name))

    def _linked(self, rows: Sequence[Row]) -> list[AlpmPackage]:
        names = sorted({row.name for row in rows})
        return [package for package in map(self.named, names) if package is not None]


class AlpmPackage:
    """One version of one package in one place."""

    __slots__ = ("__dict__", "arch", "name", "origin", "row", "version")

    def __init__(self, origin: AlpmOrigin, row: Row) -> None:
        self.origin, self.row = origin, row
        self.name, self.version, self.arch = row.name, row.version, row.arch

    def __repr__(self) -> str:
        return f"{self.name} {self.version} ({self.origin.handle or 'installed'})"

    @cached_property
    def facts(self) -> AlpmFacts:
        """What its list says of it."""
        return read_facts(self.origin.index.text(self.row))

    @property
    def installed(self) -> bool:
        """Whether this is what is installed."""
        return self.origin.source is None

    def satisfies(self, wanted: AlpmRelation) -> bool:
        """Whether it meets a relation, by its own name or by what it provides."""
        if self.name == wanted.name and fits(self.version, wanted.operator, wanted.version):
            return True
        return self.provides(wanted)

    def provides(self, wanted: AlpmRelation) -> bool:
        """Whether it meets a relation by what it provides."""
        return any(provision_fits(relation, wanted) for relation in self.facts.provides)


class Several:
    """Packages in an order, looked up by what they satisfy; the last ones can be taken off."""

    def __init__(self, packages: Sequence[AlpmPackage] = ()) -> None:
        self._order: dict[str, AlpmPackage] = {}
        self._places: dict[str, int] = {}
        self._providers: dict[str, list[AlpmPackage]] = {}
        self._next = 0
        for package in packages:
            self.add(package)

    def __iter__(self) -> Iterator[AlpmPackage]:
        return iter(list(self._order.values()))

    def __len__(self) -> int:
        return len(self._order)

    def __contains__(self, name: object) -> bool:
        return name in self._order

    def get(self, name: str) -> AlpmPackage | None:
        """The package of a name."""
        return self._order.get(name)

    def add(self, package: AlpmPackage) -> None:
        """Put a package at the end."""
        self._order[package.name] = package
        self._places[package.name] = self._next
        self._next += 1
        for name in dict.fromkeys(relation.name for relation in package.facts.provides):
            self._providers.setdefault(name, []).append(package)

    def take(self, name: str) -> None:
        """Take a package off."""
        package = self._order.pop(name)
        for capability in dict.fromkeys(provided.name for provided in package.facts.provides):
            self._providers[capability].remove(package)

    def cut(self, count: int) -> None:
        """Take off all but the first so many."""
        while len(self._order) > count:
            self.take(next(reversed(self._order)))

    def satisfying(self, wanted: AlpmRelation) -> list[AlpmPackage]:
        """Those that meet a relation, in their order."""
        named = self._order.get(wanted.name)
        found = [] if named is None else [named]
        found += [
            package for package in self._providers.get(wanted.name, ()) if package is not named
        ]
        met = [package for package in found if package.satisfies(wanted)]
        return sorted(met, key=lambda package: self._places[package.name]) if len(met) > 1 else met

    def satisfier(self, wanted: AlpmRelation) -> AlpmPackage | None:
        """The first that meets a relation."""
        found = self.satisfying(wanted)
        return found[0] if found else None


class AlpmPool:
    """The installed packages, and the sources' lists in their order."""

    def __init__(self, own: AlpmOrigin | None, offered: Sequence[AlpmOrigin]) -> None:
        self.own = own
        self.origins = list(offered)

    def installed(self, name: str) -> AlpmPackage | None:
        """The installed package of a name."""
        return self.own.named(name) if self.own else None

    def all_installed(self) -> Iterator[AlpmPackage]:
        """Every installed package, in the byte order of names."""
        for name in self.own.index.names() if self.own else ():
            found = self.installed(name)
            if found is not None:
                yield found

    def offered(self, name: str) -> list[AlpmPackage]:
        """What each source has of a name, in the order of sources."""
        return [one for origin in self.origins if (one := origin.named(name)) is not None]

    def all_named(self, name: str) -> list[AlpmPackage]:
        """What each source has of a name, and what is installed last."""
        here = self.installed(name)
        return self.offered(name) + ([here] if here else [])

    def installed_satisfying(self, wanted: AlpmRelation) -> Iterator[AlpmPackage]:
        """Installed packages that meet a relation, of its name first."""
        if self.own is None:
            return
        named = self.own.named(wanted.name)
        if named is not None and named.satisfies(wanted):
            yield named
        for package in self.own.providing(wanted.name):
            if package.provides(wanted):
                yield package

    def offering(self, wanted: AlpmRelation) -> list[AlpmPackage]:
        """Offers that meet a relation, those of its name first."""
        named = [package for package in self.offered(wanted.name) if package.satisfies(wanted)]
        others = [
            package for origin in self.origins for package in origin.providing(wanted.name)
            if package.provides(wanted)
        ]  # fmt: skip
        return named + others
