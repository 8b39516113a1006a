"""All packages that can take part on one host: the installed ones and what sources offer.

Nothing is loaded: a package becomes a `Build` when it is first met. Builds are numbered in
the order in which the host's installer reads them, since some of its decisions follow it.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path

from velpin.kinds.rpm.arch import Archs
from velpin.kinds.rpm.entry import RpmFacts, RpmLink, read_facts
from velpin.kinds.rpm.filelists import holders
from velpin.kinds.rpm.primary import kept_as_provided, names_in
from velpin.kinds.rpm.relation import EQUAL, Capability, Joined, RpmRelation, meets, overlap
from velpin.kinds.rpm.version import compare
from velpin.store.index import Index, Row


@dataclass(eq=False, slots=True)
class RpmOrigin:
    """One list of packages: a source's, or the host's own record."""

    handle: str
    index: Index
    priority: int = 99
    """The host's own priority of the source, lower is better."""
    cost: int = 1000
    first: int = 0
    """The number of its first package."""
    installed: bool = False
    hotfixes: bool = False
    """Whether modules do not hide its packages."""
    files: Path | None = None
    """The full list of files, where the installer reads that too."""


_OFTEN = 200
"""Questions for relations of installed packages after which all are read at once."""


class RpmPackage:
    """One version of one package in one place."""

    __slots__ = (
        "_facts", "_provides", "arch", "id", "more_files", "name", "origin", "row", "version",
    )  # fmt: skip

    def __init__(self, origin: RpmOrigin, row: Row) -> None:
        self.origin = origin
        self.row = row
        self.id = origin.first + row.id
        self.name, self.arch, self.version = row.name, row.arch, row.version
        self.more_files: set[str] = set()
        """Files it is known to have that the main list does not name."""
        self._facts: RpmFacts | None = None
        self._provides: tuple[Capability, ...] | None = None

    @property
    def installed(self) -> bool:
        """Whether it is on the host now."""
        return self.origin.installed

    @property
    def facts(self) -> RpmFacts:
        """What is known of it."""
        if self._facts is None:
            self._facts = read_facts(self.origin.index.text(self.row))
        return self._facts

    @property
    def provides(self) -> tuple[Capability, ...]:
        """What it provides, without its files."""
        if self._provides is None:
            self._provides = self.facts.provides
        return self._provides

    @property
    def label(self) -> str:
        """Name, version and architecture as people write them."""
        return f"{self.name}-{self.version}.{self.arch}"

    def __repr__(self) -> str:
        return f"<{self.label} {self.origin.handle or 'installed'}>"


class RpmPool:
    """The packages of one host, as its installer would see them."""

    def __init__(
        self,
        archs: Archs,
        origins: Sequence[RpmOrigin],
        hidden: Hides,
        stated: frozenset[str] = frozenset(),
        *,
        splits: bool = False,
    ) -> None:
        self.archs = archs
        self.stated = stated
        """Capabilities that the host itself meets (see `namespaces`)."""
        self.splits = splits
        """Whether what was split off from a package comes when that is replaced."""
        self.origins = list(origins)
        self._hidden = hidden
        self._builds: dict[int, RpmPackage] = {}
        self._named: dict[str, list[RpmPackage]] = {}
        self._providing: dict[str, list[RpmPackage]] = {}
        self._meeting: dict[RpmRelation, list[RpmPackage]] = {}
        self._visible: dict[int, bool] = {}
        self._recorded: dict[str, dict[str, list[tuple[str, int]]]] = {}
        self._asked: dict[str, int] = {}

    def build(self, number: int) -> RpmPackage:
        """The build with a number."""
        return self._builds[number]

    def at(self, origin: RpmOrigin, row: Row) -> RpmPackage:
        """The build of one row of a list."""
        number = origin.first + row.id
        found = self._builds.get(number)
        if found is None:
            found = self._builds[number] = RpmPackage(origin, row)
        return found

    def all_named(self, name: str) -> list[RpmPackage]:
        """Every build of a name that this host's architectures allow, hidden ones too."""
        found = self._named.get(name)
        if found is None:
            found = self._named[name] = [
                self.at(origin, row)
                for origin in self.origins
                for row in origin.index.rows(name)
                if origin.installed or self.archs.takes(row.arch)
            ]
        return found

    def named(self, name: str) -> list[RpmPackage]:
        """Builds of a name that take part, the installed ones among them."""
        return [package for package in self.all_named(name) if self.visible(package)]

    def visible(self, build: RpmPackage) -> bool:
        """Whether a build takes part: installed, or neither excluded nor hidden."""
        if build.installed:
            return True
        found = self._visible.get(build.id)
        if found is None:
            found = self._visible[build.id] = not self._hidden(build)
        return found

    def installed(self, name: str) -> list[RpmPackage]:
        """Installed builds of a name."""
        return [package for package in self.all_named(name) if package.installed]

    @cached_property
    def record(self) -> RpmOrigin | None:
        """The host's own record of packages."""
        return next((origin for origin in self.origins if origin.installed), None)

    def all_installed(self) -> Iterator[RpmPackage]:
        """Every installed build, in the order of installation."""
        if self.record:
            rows = sorted(self.record.index.all_rows(), key=lambda row: row.id)
            yield from (self.at(self.record, row) for row in rows)

    def _providers(self, name: str) -> list[RpmPackage]:
        found = self._providing.get(name)
        if found is None:
            found = self._providing[name] = [
                self.at(origin, row)
                for origin in self.origins
                for row in origin.index.providers(name)
                if origin.installed or self.archs.takes(row.arch)
            ]
            if name.startswith("/") and not kept_as_provided(name):
                found += self._holders(name)
        return found

    def _holders(self, path: str) -> Iterator[RpmPackage]:
        """Builds with a file that the main lists do not name."""
        wanted = path.encode("utf-8", "surrogateescape")
        for origin in self.origins:
            if origin.installed:
                for build in self.all_installed():
                    if wanted in origin.index.text(build.row) and path in build.facts.files:
                        yield build
            elif origin.files is not None:
                for holder in holders(origin.files, path):
                    for row in origin.index.rows(holder.name):
                        if (row.arch, row.version) == (holder.arch, holder.version):
                            build = self.at(origin, row)
                            build.more_files.add(path)
                            yield build

    def meeting(self, relation: RpmRelation) -> list[RpmPackage]:
        """Builds that take part and provide what a relation means, by number.

        Of relations joined by `and`, `if`, `unless` those of the parts: see `rules`.
        """
        found = self._meeting.get(relation)
        if found is None:
            found = [package for package in self._meets(relation) if self.visible(package)]
            self._meeting[relation] = found
        return found

    def _meets(self, relation: RpmRelation) -> list[RpmPackage]:
        if isinstance(relation, Capability):
            return [
                package for package in self._providers(relation.name) if provides(package, relation)
            ]
        first = self._meets(relation.parts[0])
        if relation.word in ("with", "without"):
            others = {package.id for part in relation.parts[1:] for package in self._meets(part)}
            with_ = relation.word == "with"
            return [package for package in first if (package.id in others) == with_]
        found = {package.id: package for part in relation.parts for package in self._meets(part)}
        return [found[number] for number in sorted(found)]

    def offering(self, wanted: Capability) -> list[RpmPackage]:
        """All builds that provide something, hidden ones too."""
        return [package for package in self._providers(wanted.name) if provides(package, wanted)]

    def recorded(self, kind: str, name: str) -> list[RpmPackage]:
        """Installed builds with a relation of a kind that mentions a name."""
        if self.record is None:
            return []
        table = self._recorded.get(kind)
        if table is None:
            self._asked[kind] = self._asked.get(kind, 0) + 1
            if self._asked[kind] < _OFTEN:
                return [self.at(self.record, row) for row in self.record.index.linked(kind, name)]
            table = self._recorded[kind] = self.record.index.link_table(kind)
        found = []
        for owner, position in table.get(name, ()):
            number = self.record.first + position
            found += [package for package in self.installed(owner) if package.id == number]
        return found

    def linked(self, kind: str, name: str) -> Iterator[RpmPackage]:
        """Builds with a relation of a kind that mentions a name."""
        for origin in self.origins:
            for row in origin.index.linked(kind, name):
                if origin.installed or self.archs.takes(row.arch):
                    yield self.at(origin, row)

    def obsoleting(self, build: RpmPackage) -> list[RpmPackage]:
        """Builds offered that obsolete a build: by its name, never by what it provides."""
        return [
            package
            for package in self.linked(RpmLink.OBSOLETES, build.name)
            if not package.installed and self.visible(package) and obsoletes(package, build)
        ]

    @cached_property
    def needed_files(self) -> frozenset[str]:
        """Every file path that an installed package needs."""
        names = self.record.index.all_linked(RpmLink.REQUIRES) if self.record else []
        return frozenset(name for name in names if name.startswith("/"))

    @cached_property
    def supplemented(self) -> frozenset[str]:
        """Every name that some offered package supplements."""
        return frozenset(
            name
            for origin in self.origins
            if not origin.installed
            for name in origin.index.all_linked(RpmLink.SUPPLEMENTS)
        )


Hides = Callable[[RpmPackage], bool]


def provides(build: RpmPackage, wanted: Capability) -> bool:
    """Whether a build provides what is wanted, by a capability or a file."""
    if any(meets(capability, wanted) for capability in build.provides):
        return True
    if wanted.sense or not wanted.name.startswith("/"):
        return False
    return wanted.name in build.facts.files or wanted.name in build.more_files


def obsoletes(build: RpmPackage, other: RpmPackage) -> bool:
    """Whether a build says that it obsoletes another."""
    if build.id == other.id:
        return False
    return any(
        isinstance(relation, Capability)
        and relation.name == other.name
        and (not relation.sense or overlap(EQUAL, other.version, relation.sense, relation.version))
        for relation in build.facts.obsoletes
    )


def is_newer(build: RpmPackage, than: RpmPackage) -> bool:
    """Whether a build is of a higher version."""
    return compare(build.version, than.version) > 0


def names_of(relation: RpmRelation) -> Iterable[str]:
    """Every name a relation mentions."""
    return names_in(str(relation)) if isinstance(relation, Joined) else (relation.name,)
