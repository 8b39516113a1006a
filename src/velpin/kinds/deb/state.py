"""What a deb host is made of: configuration, sources, indexes, versions of packages.

Everything is read when it is first asked for, through one Tree, so the same class serves
the host as it is and the host as an edit would make it.

Observed rules: docs/how-hosts-choose/deb.md, "What counts".
"""

from __future__ import annotations

import contextlib
import re
from collections.abc import Callable, Iterator, Sequence
from functools import cached_property, partial
from itertools import chain
from pathlib import Path
from typing import TYPE_CHECKING, Self

from velpin.core.adapter import Adapter
from velpin.errors import HostFileError, StoreError
from velpin.files.text import decode, whole_number
from velpin.files.tree import Tree, read_release_fields
from velpin.kinds.deb import KIND, choice, identity
from velpin.kinds.deb.choice import DebOrigin, DebPackage, DebPriority, DebVersion, IndexEntry
from velpin.kinds.deb.conf import Conf, read_conf
from velpin.kinds.deb.control import parse_stanza, read_stanzas
from velpin.kinds.deb.copies import DebCopy, DebCopyFinder, index_name, site_of
from velpin.kinds.deb.limits import Limit, limits_of, unreadable
from velpin.kinds.deb.phasing import Phasing
from velpin.kinds.deb.preferences import (
    NEVER,
    OWN_RECORD,
    Matcher,
    Preferences,
    Site,
    read_preferences,
    release_pin,
)
from velpin.kinds.deb.relations import DebFacts, read_facts
from velpin.kinds.deb.release import STRONG, Promise, Release, read_promises
from velpin.kinds.deb.sources import DebSource, SourceFiles, read_sources
from velpin.kinds.deb.version import version_key
from velpin.model.installer import Installer
from velpin.model.reason import Fact, Reason
from velpin.model.source import Source
from velpin.store.cache import IndexCache, is_as_fetched
from velpin.store.index import Batch, Index, IndexNote, IndexPart, Notes, Row
from velpin.store.memo import Memo

if TYPE_CHECKING:
    from velpin.kinds.deb.key_files import KeyFileReader
    from velpin.model.host import SourceState
    from velpin.trust.named import NamedKeys
    from velpin.trust.openpgp import Key

OWN = "(installed)"
"""Stands where a source's handle would, for the host's own record of packages."""
INSTALLER, NEWER_FROM = "apt", "3.1.10"
"""The package of the installer, and the version from which it decides in the newer way
(docs/how-hosts-choose/deb-newer.md, "Which hosts")."""


SOLVER, CLASSIC, SEARCHING = "APT::Solver", "internal", "3.0"
"""The setting of how transactions are worked out, and the words it may be."""
_SEARCHING_FROM = (2, 11)


def _interface(text: str) -> tuple[int, int]:
    """The version of the installer's interface that a setting asks for; 3.0 is one that does
    not search, as those before 2.11 (observed)."""
    major, _, minor = text.partition(".")
    told = whole_number(major) or 0, whole_number(minor.partition(".")[0]) or 0
    return (0, 0) if told == (3, 0) else told


class DebState(Adapter[DebSource]):
    """One deb host as it is read, through a tree and a store."""

    kind = KIND

    def __init__(self, tree: Tree, cache: IndexCache, *, as_is: bool = False) -> None:
        self.tree = tree
        self.cache = cache
        self.as_is = as_is
        self._packages: dict[str, dict[str, DebPackage]] = {}
        self._facts: dict[tuple[int, int], DebFacts] = {}

    def again(self, tree: Tree) -> Self:
        """The same host, read anew through a tree."""
        return type(self)(tree, self.cache, as_is=self.as_is)

    # -- the installer -------------------------------------------------------------------

    generations = ("older", "newer")

    def recorded_installer(self) -> Installer:
        """The installer by the host's own record of packages."""
        rows = [row for row in self._recorded.get(INSTALLER, ()) if choice.is_installed(row.state)]
        if not rows:
            return Installer(INSTALLER, "")
        version = rows[0].version
        newer = version_key(version) >= version_key(NEWER_FROM)
        return Installer(INSTALLER, version, "newer" if newer else "older", "record")

    # -- configuration -------------------------------------------------------------------

    @cached_property
    def conf(self) -> Conf:
        """The installer's settings; HostFileError where it would stop."""
        return read_conf(self.tree)

    @cached_property
    def release(self) -> dict[str, str]:
        """The fields of etc/os-release."""
        return read_release_fields(self.tree)

    @cached_property
    def archs(self) -> tuple[str, ...]:
        """The host's architectures, native first."""
        told = self.conf.get("APT::Architecture")
        foreign = (self.tree.read("var/lib/dpkg/arch") or b"").decode("utf-8", "replace").split()
        native = told or (foreign[0] if foreign else "") or self._native_by_record()
        listed = self.conf.listed("APT::Architectures") or foreign
        return (native, *(arch for arch in listed if arch != native))

    def _native_by_record(self) -> str:
        data = self.tree.read(self.record_file) or b""
        found = re.findall(rb"\nArchitecture: *(\S+)", data)
        counts = {arch: found.count(arch) for arch in set(found) - {b"all"}}
        best = max(sorted(counts), key=counts.__getitem__, default=b"")
        return best.decode("utf-8", "replace") or _machine()

    def unit_arch(self, arch: str) -> str:
        """The architecture that a package with such a field counts for."""
        return self.native if arch in ("all", "") else arch

    @property
    def native(self) -> str:
        """The host's first architecture."""
        return self.archs[0]

    @cached_property
    def source_files(self) -> SourceFiles:
        """All that the source files say."""
        return read_sources(self.tree, self.conf, self.archs, self.release.get("ID", ""))

    @property
    def sources(self) -> list[DebSource]:
        """Sources on, in the order of reading, then those switched off."""
        return self.source_files.sources

    @cached_property
    def preferences(self) -> Preferences:
        """All preference records."""
        return read_preferences(self.tree, self.conf, newer=self.is_newer)

    @cached_property
    def matcher(self) -> Matcher:
        """Finds the specific records of a package."""
        return self.preferences.matcher(self.native)

    @property
    def record_file(self) -> str:
        """The host's own record of packages, below the root."""
        return "var/lib/dpkg/status"

    # -- indexes -------------------------------------------------------------------------

    @cached_property
    def copies(self) -> dict[str, DebCopy]:
        """For each source by handle the copy of its index that counts."""
        lists = self.conf.file("Dir::State", "lists", "lists")
        finder = DebCopyFinder(self.tree, self.cache, lists, as_is=self.as_is)
        return {source.handle: finder.find(source) for source in self.sources}

    @cached_property
    def origins(self) -> list[tuple[DebOrigin, Path]]:
        """Indexes of the sources that are on, in the order of reading, each with its file."""
        found: list[tuple[DebOrigin, Path]] = []
        for source in self.sources:
            if source.on:
                found += self.origins_of(source, len(found))
        return found

    def origins_of(self, source: DebSource, first: int = 0) -> list[tuple[DebOrigin, Path]]:
        """Indexes of one source, numbered from `first` in the order of reading."""
        copy = self.copies[source.handle]
        found: list[tuple[DebOrigin, Path]] = []
        for (component, arch), path in copy.files.items():
            site = site_of(source, copy.release, component, arch)
            priority = self.source_priority(site, copy.release)
            origin = DebOrigin(
                first + len(found), source.handle, component, source.url, site, priority
            )
            found.append((origin, path))
        return found

    @cached_property
    def own_origin(self) -> DebOrigin:
        """The host's own record of packages as an index."""
        priority = self.source_priority(OWN_RECORD, Release())
        return DebOrigin(1_000_000, OWN, "", "", OWN_RECORD, priority)

    @cached_property
    def target(self) -> str:
        """The target release of the installer's configuration, empty where there is none."""
        return self.conf.get("APT::Default-Release")

    def source_priority(self, site: Site, release: Release) -> DebPriority:
        """The priority of a source: never, target release, first general record, its channel."""
        general = [r for r in self.preferences.general if r.pin.selects_site(site)]
        for record in general:
            if record.priority == NEVER:  # beats all else, wherever it stands
                return DebPriority(NEVER, "record", record)
        if self.target and release_pin(self.target).selects_site(site):
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
        for source in self.sources:
            copy = self.copies[source.handle]
            for (component, arch), file in copy.files.items():
                if file == path and copy.release_file:
                    promises = read_promises(
                        self.tree.read(copy.release_file) or b"", copy.release_file
                    )
                    return promises.get(index_name(source, component, arch))
        return None

    @cached_property
    def opened(self) -> list[tuple[DebOrigin, Index]]:
        """Parsed indexes of the sources that are on; damaged ones are left to `damage`."""
        found = []
        for origin, path in self.origins:
            try:
                found.append((origin, self.index(path)))
            except (HostFileError, StoreError) as problem:
                self.damage[origin.source] = problem
        return found

    @cached_property
    def damage(self) -> dict[str, HostFileError | StoreError]:
        """Sources whose index could not be read, filled while indexes are opened."""
        return {}

    @cached_property
    def record(self) -> Index | None:
        """The parsed record of packages; None on a host without one."""
        if self.tree.stat(self.record_file) is None:
            return None
        return self.cache.parsed(self.tree.path(self.record_file), _record_parts, is_apart=False)

    def indexes_off(self) -> Iterator[tuple[DebSource, Index]]:
        """Parsed indexes that are still there of sources switched off."""
        for source in self.sources:
            if source.on:
                continue
            for path in self.copies[source.handle].files.values():
                try:
                    yield source, self.index(path)
                except (HostFileError, StoreError):
                    continue

    # -- packages ------------------------------------------------------------------------

    @cached_property
    def limits(self) -> dict[str, Limit]:
        """Sources of which only some names count, by handle."""
        return limits_of(self.sources) if self.is_newer else {}

    def takes(self, handle: str, name: str) -> bool:
        """Whether what a source offers of a name counts."""
        limit = self.limits.get(handle)
        return limit is None or limit.takes(name)

    @property
    def _reads_common_file(self) -> bool:
        """Whether the one old file of keys for all sources is read (observed: no more in the
        newer generation, unless the settings name it)."""
        return not self.is_newer or bool(self.conf.get("Dir::Etc::trusted"))

    def keys_for(self, source: DebSource) -> NamedKeys:
        """The keys that a source's configuration names, or that count for all."""
        from velpin.kinds.deb.trust import named_keys

        said = (source.signed_by, source.trusted, str(source.places[0]))
        if said not in self._named_keys:
            self._named_keys[said] = named_keys(
                self.tree, source, common_file=self._reads_common_file, reader=self.key_files
            )
        return self._named_keys[said]

    @cached_property
    def _named_keys(self) -> dict[tuple[str, bool, str], NamedKeys]:
        return {}

    def keys_for_all(self, problems: list[str]) -> list[Key]:
        """Keys that sign for every source that names none; files that cannot be used are told."""
        from velpin.kinds.deb.trust import common_keys

        return common_keys(
            self.tree, problems, common_file=self._reads_common_file, reader=self.key_files
        )

    @cached_property
    def key_files(self) -> KeyFileReader:
        """Reads key files as the host's installer does."""
        from velpin.kinds.deb.key_files import KeyFileReader

        user = self.conf.get("APT::Sandbox::User")
        return KeyFileReader(self.tree, user, is_newer=self.is_newer)

    def named(self, name: str) -> dict[str, DebPackage]:
        """All versions of a name by architecture, native first; priorities are set."""
        if name not in self._packages:
            holders = [
                IndexEntry(origin, row)
                for origin, index in self.opened
                if self.takes(origin.source, name)
                for row in index.rows(name)
            ]
            self._packages[name] = self.gathered(name, holders, self._recorded.get(name, []))
        return self._packages[name]

    def gathered(
        self, name: str, holders: list[IndexEntry], own: list[Row]
    ) -> dict[str, DebPackage]:
        """Packages made of the entries of one name, those of the host's own record apart."""
        found: dict[str, DebPackage] = {}
        for held in holders:
            arch = self.native if held.row.arch == "all" else held.row.arch
            if arch in self.archs:
                package = found.setdefault(arch, DebPackage(name, arch, []))
                self._place(package, held)
        for row in own:
            arch = self.unit_arch(row.arch)
            package = found.setdefault(arch, DebPackage(name, arch, []))
            package.state = row.state
            version = self._place(package, IndexEntry(self.own_origin, row))
            version.installed = choice.is_installed(row.state)
        for package in found.values():
            package.versions = choice.in_order(package.versions)
            for version in package.versions:
                if self.preferences.by_source_version:
                    facts = self.facts_of(version.holders[0])
                    version.source_version = facts.source_version or version.text
                version.priority = choice.priority_of(package, version, self.matcher)
                if self.phasing.decides_priority and not version.installed:
                    self._put_off(version)
        return {arch: found[arch] for arch in self.archs if arch in found} | found

    def _put_off(self, version: DebVersion) -> None:
        if self.phasing.leaves_out(version):
            version.priority = choice.DebPriority(1, "phased")

    @cached_property
    def phasing(self) -> Phasing:
        """Which versions are given to other hosts first."""
        return Phasing(self)

    @cached_property
    def machine_id(self) -> str:
        """What tells this host from others, empty where nothing does."""
        data = self.tree.read("etc/machine-id") or b""
        own = self.conf.get("APT::Machine-ID")
        return own or data.decode("utf-8", "replace").strip()

    def _place(self, package: DebPackage, held: IndexEntry) -> DebVersion:
        for version in package.versions:
            same = version_key(version.text) == version_key(held.row.version)
            if same and self.is_same(version.holders[0], held):
                version.holders.append(held)
                return version
        package.versions.append(DebVersion(held.row.version, [held]))
        return package.versions[-1]

    def is_same(self, one: IndexEntry, other: IndexEntry) -> bool:
        """Whether two entries of an equal version number are one and the same version."""
        left, right = self.text(one), self.text(other)
        if left == right:
            return True
        if not identity.is_same_version(left, right):
            return False
        if other.origin.site.own:
            return True
        sizes = (identity.number_in(left, "size"), identity.number_in(right, "size"))
        return 0 in sizes or sizes[0] == sizes[1]

    def text(self, held: IndexEntry) -> bytes:
        """The whole text of one entry."""
        index = self.record if held.origin.site.own else self._index_of[held.origin.order]
        return index.text(held.row) if index else b""

    @cached_property
    def _index_of(self) -> dict[int, Index]:
        return {origin.order: index for origin, index in self.opened}

    def provider_names(self, name: str) -> dict[str, None]:
        """Names of packages of which some version provides a name, in order of listing."""
        found: dict[str, None] = {}
        for origin, index in self.opened:
            found.update(
                dict.fromkeys(
                    row.name for row in index.providers(name) if self.takes(origin.source, row.name)
                )
            )
        if self.record:
            rows = self.record.providers(name)
            found.update(dict.fromkeys(row.name for row in rows if choice.is_installed(row.state)))
        return found

    def facts_of(self, held: IndexEntry) -> DebFacts:
        """What the stanza of one entry says that bears on a transaction."""
        key = (held.origin.order, held.row.id)
        found = self._facts.get(key)
        if found is None:
            arch = self.unit_arch(held.row.arch)
            found = self._facts[key] = read_facts(self.text(held), arch, self.native)
        return found

    @cached_property
    def automatic(self) -> frozenset[tuple[str, str]]:
        """Name and architecture of packages that were installed for others only."""
        data = self.tree.read("var/lib/apt/extended_states") or b""
        found = set()
        for stanza in read_stanzas(decode(data), comments=False):
            if stanza.get("Auto-Installed") == "1":
                arch = stanza.get("Architecture")
                found.add((stanza.get("Package"), self.native if arch == "all" else arch))
        return frozenset(found)

    def provides(self, version: DebVersion, own: str, arch: str) -> dict[str, str]:
        """Names that a version of a package of the architecture `own` provides for another,
        with the version it provides them at (or empty)."""
        facts = self.facts_of(version.holders[0])
        serves = own == arch or (facts.multi_arch == "foreign" and own in self.archs)
        return {
            provided.name: provided.version
            for provided in facts.provides
            if (provided.arch == arch if provided.arch else serves)
        }

    def field(self, version: DebVersion, name: str) -> str:
        """A field of a version's full text, empty where it has none."""
        return parse_stanza(self.text(version.holders[0])).get(name, "")

    def knows(self, name: str) -> bool:
        """Whether any version of a name, or a provider of it, is known here."""
        return bool(self.named(name)) or bool(self.provider_names(name))

    def installed_names(self) -> list[str]:
        """Names of all installed packages, in byte order."""
        return sorted({row.name for row in self.installed_rows()})

    def installed_rows(self) -> Iterator[Row]:
        """The record's rows of packages that are installed."""
        for rows in self._recorded.values():
            yield from (row for row in rows if choice.is_installed(row.state))

    @cached_property
    def _recorded(self) -> dict[str, list[Row]]:
        """The record's rows by name."""
        found: dict[str, list[Row]] = {}
        for row in self.record.all_rows() if self.record else ():
            found.setdefault(row.name, []).append(row)
        for rows in found.values():
            if len(rows) > 1:
                rows.sort(key=lambda row: row.id)
        return found

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

    def essential_names(self) -> set[str]:
        """Names of packages that a source that is on marks as essential."""
        named = {name for _, index in self.opened for name in index.essential}
        return named | self.forced_essential

    @cached_property
    def forced_essential(self) -> frozenset[str]:
        """Names that count as essential whatever their stanzas say: the installer itself,
        unless the configuration names others (observed)."""
        key = "pkgCacheGen::ForceEssential"
        return frozenset(self.conf.listed(key) or [self.conf.get(key) or "apt"])

    @cached_property
    def names_by_source(self) -> dict[str, frozenset[str]]:
        """Names that sources that are on offer, by handle, as far as they were asked for."""
        return {}

    def offered_names(self) -> set[str]:
        """Every name that a source that is on offers."""
        found: set[str] = set()
        for origin, index in self.opened:
            names = index.names()
            if origin.source in self.limits:
                names = [name for name in names if self.takes(origin.source, name)]
            found.update(names)
        return found

    # -- what stands in the way ----------------------------------------------------------

    def refusal(self) -> HostFileError | Reason | None:
        """Why this host would refuse every request; None where it would not."""
        try:
            self.conf.get("")
        except HostFileError as problem:
            return problem
        if self.source_files.errors:
            return self.source_files.errors[0]
        wrong = next(unreadable(self.sources), None) if self.is_newer else None
        if wrong is not None:
            return wrong
        unknown = self._unknown_solver()
        if unknown is not None:
            return unknown
        if self.preferences.error:
            return self.preferences.error
        return self._unreadable() or self._unknown_target()

    @cached_property
    def searches(self) -> bool:
        """Whether transactions are worked out by search rather than step by step: so in the newer
        generation, unless the settings ask for the older way or an older interface (observed)."""
        if self.conf.get(SOLVER) == CLASSIC:
            return False
        asked = self.conf.get("APT::Version")
        return self.is_newer and (not asked or _interface(asked) >= _SEARCHING_FROM)

    def _unknown_solver(self) -> Reason | None:
        if not self.is_newer or self.conf.get(SOLVER) in ("", CLASSIC, SEARCHING):
            return None
        facts: dict[str, Fact] = {
            "solver": self.conf.get(SOLVER), "place": self.conf.place(SOLVER) or ""
        }  # fmt: skip
        return Reason("solver-unknown", facts)

    def _unreadable(self) -> HostFileError | None:
        """An index or the record that makes the installer read nothing at all."""
        opened = [index for _, index in self.opened]
        for index in (*([self.record] if self.record else ()), *opened):
            for note in index.notes:
                if note.code == "unreadable":
                    file = self._below_root(index.stamp.path)
                    return HostFileError(file, note.line, note.text)
        return None

    def _below_root(self, path: str) -> str:
        """A file's name below the root, where it lies there."""
        return path.removeprefix(f"{self.tree.root}/".replace("//", "/"))

    def emptied_record(self) -> str:
        """The older record beside an empty one, empty where that is as it should be."""
        older = f"{self.record_file}-old"
        told = self.tree.stat(older)
        return older if told and told.st_size and not (self.record and self.record.count) else ""

    def _unknown_target(self) -> Reason | None:
        if not self.target or "=" in self.target:
            return None
        pin = release_pin(self.target)
        sites = [self.own_origin.site, *(origin.site for origin, _ in self.origins)]
        if any(pin.selects_site(site) for site in sites):
            return None
        place = self.conf.place("APT::Default-Release")
        return Reason("target-unknown", {"target": self.target, "place": place or ""})

    def state_of(self, source: Source) -> SourceState:
        """Whether a source takes part."""
        if not source.on:
            return "off"
        return "on" if self.copies[source.handle].files else "not fetched"


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
    from velpin.kinds.deb.packages import parts_of

    first, *rest = parts_of(unpacked(path))

    def checked(notes: Notes) -> Iterator[Batch]:
        yield from first(notes)
        if promise and not _keeps(path, promise):
            notes.append(IndexNote(0, _NOT_AS_PROMISED, "not-as-promised"))

    return [checked, *rest]


def _keeps(path: Path, promise: Promise) -> bool:
    """Whether a file is what was promised, unpacked."""
    from velpin.fetch.unpack import measured

    if promise.digest not in STRONG:
        return True
    return measured(path, promise.digest, promise.size) == (promise.size, promise.value)


def _record_parts(path: Path) -> list[IndexPart]:
    from velpin.fetch.unpack import unpacked
    from velpin.kinds.deb.packages import parts_of

    return parts_of(unpacked(path), record=True)


def _machine() -> str:
    import platform

    machine = platform.machine()
    names = {"x86_64": "amd64", "aarch64": "arm64", "armv7l": "armhf", "i686": "i386"}
    return names.get(machine, machine)
