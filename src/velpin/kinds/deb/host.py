"""A deb host put together: configuration, sources, indexes, installed packages.

Everything is read when it is first asked for, through one Tree, so the same class serves
the host as it is and the host as an edit would make it.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping, Sequence
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Literal, NamedTuple

from velpin.errors import HostFileError, StoreError
from velpin.fetch.unpack import EXTENSIONS, unpacked
from velpin.kinds.deb import KIND, choice, packages
from velpin.kinds.deb.choice import Held, Number, Origin, Package, Version
from velpin.kinds.deb.conf import Conf, read_conf
from velpin.kinds.deb.control import parse_stanza
from velpin.kinds.deb.preferences import (
    NEVER,
    OWN_RECORD,
    Matcher,
    Preferences,
    Site,
    read_preferences,
    release_pin,
)
from velpin.kinds.deb.release import Release, read_release
from velpin.kinds.deb.sources import DebSource, SourceFiles, read_sources
from velpin.kinds.deb.version import version_key
from velpin.model import (
    Forecast,
    HostFacts,
    KeyUse,
    Met,
    Moved,
    Note,
    Offer,
    Place,
    Reason,
    Source,
    Standing,
)
from velpin.store.index import Index, Part, Row
from velpin.store.shelf import Fetched, Shelf
from velpin.tree import Tree

if TYPE_CHECKING:
    from velpin.change.plan import Plan, SourceWish
    from velpin.fetch.download import Login, Transport
    from velpin.kinds.deb.refresh import DebRefreshed

OWN = "(installed)"
"""Stands where a source's handle would, for the host's own record of packages."""

_QUOTED_NAME = re.compile(r"[\\|{}\[\]<>\"^~_=!@#$%^&*\s]|[^\x21-\x7e]")


class Copy(NamedTuple):
    """The copy of a source's index that counts, and whose it is."""

    holder: Literal["installer", "velpin", ""]
    release: Release
    files: Mapping[tuple[str, str], Path]
    """Index files by section and architecture."""
    fetched: Fetched | None = None
    problem: HostFileError | None = None
    release_file: str = ""
    """The installer's copy of the release file, below the root."""


NO_COPY = Copy("", Release(), {})


class DebHost:
    """One deb host, read through a tree and a store."""

    kind = KIND

    def __init__(self, tree: Tree, shelf: Shelf, *, as_is: bool = False) -> None:
        self.tree = tree
        self.shelf = shelf
        self.as_is = as_is
        self._packages: dict[str, dict[str, Package]] = {}

    def with_edits(self, edits: Mapping[str, bytes | None]) -> DebHost:
        """The same host as it would be after some edits."""
        return DebHost(self.tree.with_edits(edits), self.shelf, as_is=self.as_is)

    # -- configuration -------------------------------------------------------------------

    @cached_property
    def conf(self) -> Conf:
        """The installer's settings; HostFileError where it would stop."""
        return read_conf(self.tree)

    @cached_property
    def release(self) -> dict[str, str]:
        """The fields of etc/os-release."""
        data = self.tree.read("etc/os-release") or self.tree.read("usr/lib/os-release") or b""
        fields = {}
        for line in data.decode("utf-8", "replace").splitlines():
            name, equals, value = line.strip().partition("=")
            if equals and not name.startswith("#"):
                fields[name] = value.strip("\"'")
        return fields

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
        counts: dict[str, int] = {}
        for found in re.finditer(rb"(?m)^Architecture: *(\S+)", data):
            arch = found.group(1).decode("utf-8", "replace")
            counts[arch] = counts.get(arch, 0) + (arch != "all")
        best = max(counts, key=counts.__getitem__, default="")
        return best if counts.get(best) else _machine()

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
        return read_preferences(self.tree, self.conf)

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
    def _installer_files(self) -> tuple[str, frozenset[str]]:
        folder = "var/lib/apt/" + self.conf.path("Dir::State::lists", "lists")
        return folder, frozenset(self.tree.names(folder))

    @cached_property
    def copies(self) -> dict[str, Copy]:
        """For each source by handle the copy of its index that counts."""
        return {source.handle: self._copy(source) for source in self.sources}

    def _copy(self, source: DebSource) -> Copy:
        theirs = self._installer_copy(source)
        ours = NO_COPY if self.as_is else self._own_copy(source)
        if not ours.holder or (theirs.holder and not theirs.files and not ours.files):
            return theirs
        if not theirs.holder or not theirs.files:
            return ours
        return ours if (ours.release.date or 0) > (theirs.release.date or 0) else theirs

    def _installer_copy(self, source: DebSource) -> Copy:
        folder, names = self._installer_files
        file = ""
        base = list_name(source.url if not source.flat else source.address, source.release)
        for ending in ("InRelease", "Release"):
            if base + ending not in names:
                continue
            file = f"{folder}/{base}{ending}"
            try:
                release = read_release(self.tree.read(file) or b"", file)
            except HostFileError as problem:
                return Copy("installer", Release(), {}, None, problem)
            break
        else:
            if not any(name.startswith(base) for name in names):
                return NO_COPY
            release = Release()
        files = {}
        for section, arch in wanted_indexes(source, release):
            stem = base + (
                "Packages" if source.flat else f"{_quoted(section)}_binary-{arch}_Packages"
            )
            found = next((stem + end for end in EXTENSIONS if stem + end in names), "")
            if found:
                files[section, arch] = self.tree.path(f"{folder}/{found}")
        return Copy("installer", release, files, release_file=file)

    def _own_copy(self, source: DebSource) -> Copy:
        fetched = self.shelf.fetched(source.address, source.release)
        if fetched is None:
            return NO_COPY
        try:
            release = read_release(fetched.release_bytes(), str(fetched.path(fetched.release_file)))
        except (OSError, HostFileError):
            return NO_COPY
        files = {
            (section, arch): fetched.path(fetched.indexes[f"{section}/{arch}"])
            for section, arch in wanted_indexes(source, release)
            if f"{section}/{arch}" in fetched.indexes
        }
        return Copy("velpin", release, files, fetched)

    @cached_property
    def origins(self) -> list[tuple[Origin, Path]]:
        """Indexes of the sources that are on, in the order of reading, each with its file."""
        found: list[tuple[Origin, Path]] = []
        for source in self.sources:
            if source.on:
                found += self._origins_of(source, len(found))
        return found

    def _origins_of(self, source: DebSource, first: int) -> list[tuple[Origin, Path]]:
        copy = self.copies[source.handle]
        found: list[tuple[Origin, Path]] = []
        for (section, arch), path in copy.files.items():
            site = site_of(source, copy.release, section, arch)
            number = self.source_number(site, copy.release)
            origin = Origin(first + len(found), source.handle, section, source.url, site, number)
            found.append((origin, path))
        return found

    @cached_property
    def own_origin(self) -> Origin:
        """The host's own record of packages as an index."""
        number = self.source_number(OWN_RECORD, Release())
        return Origin(1_000_000, OWN, "", "", OWN_RECORD, number)

    @cached_property
    def target(self) -> str:
        """The target release of the installer's configuration, empty where there is none."""
        return self.conf.get("APT::Default-Release")

    def source_number(self, site: Site, release: Release) -> Number:
        """The number of a source: never, target release, first general record, its channel."""
        general = [r for r in self.preferences.general if r.pin.selects_site(site)]
        for record in general:
            if record.number == NEVER:  # beats all else, wherever it stands
                return Number(NEVER, "record", record)
        if self.target and release_pin(self.target).selects_site(site):
            return Number(choice.TARGET, "target")
        for record in general:
            return Number(record.number, "record", record)
        if site.own:
            return Number(choice.UPGRADES_ONLY, "own")
        if release.but_automatic_upgrades:
            return Number(choice.UPGRADES_ONLY, "upgrades-only")
        if release.not_automatic:
            return Number(choice.NOT_AUTOMATIC, "not-automatic")
        return Number(choice.UNMARKED, "default")

    def index(self, path: Path) -> Index:
        """The parsed index of one index file."""
        return self.shelf.parsed(path, _parts)

    @cached_property
    def indexes(self) -> list[tuple[Origin, Index]]:
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
        return self.shelf.parsed(self.tree.path(self.record_file), _record_parts)

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

    def packages(self, name: str) -> dict[str, Package]:
        """All versions of a name by architecture, native first; numbers are set."""
        if name not in self._packages:
            holders = [
                Held(origin, row) for origin, index in self.indexes for row in index.rows(name)
            ]
            own = self.record.rows(name) if self.record else []
            self._packages[name] = self._gather(name, holders, own)
        return self._packages[name]

    def _gather(self, name: str, holders: list[Held], own: list[Row]) -> dict[str, Package]:
        found: dict[str, Package] = {}
        for held in holders:
            arch = self.native if held.row.arch == "all" else held.row.arch
            if arch in self.archs:
                package = found.setdefault(arch, Package(name, arch, []))
                self._place(package, held)
        for row in own:
            arch = self.native if row.arch in ("all", "") else row.arch
            package = found.setdefault(arch, Package(name, arch, []))
            package.state = row.state
            version = self._place(package, Held(self.own_origin, row))
            version.installed = choice.is_installed(row.state)
            version.recorded = True
        for package in found.values():
            package.versions = choice.in_order(package.versions)
            for version in package.versions:
                version.number = choice.number_of(package, version, self.matcher)
        return {arch: found[arch] for arch in self.archs if arch in found} | found

    def _place(self, package: Package, held: Held) -> Version:
        for version in package.versions:
            same = version_key(version.text) == version_key(held.row.version)
            if same and self._is_same(version.holders[0], held):
                version.holders.append(held)
                return version
        package.versions.append(Version(held.row.version, [held]))
        return package.versions[-1]

    def _is_same(self, one: Held, other: Held) -> bool:
        left, right = self.text(one), self.text(other)
        if left == right:
            return True
        if packages.identity(left) != packages.identity(right):
            return False
        if other.origin.site.own:
            return True
        sizes = (packages.size_of(left), packages.size_of(right))
        return 0 in sizes or sizes[0] == sizes[1]

    def text(self, held: Held) -> bytes:
        """The whole text of one entry."""
        index = self.record if held.origin.site.own else self._index_of[held.origin.order]
        return index.text(held.row) if index else b""

    @cached_property
    def _index_of(self) -> dict[int, Index]:
        return {origin.order: index for origin, index in self.indexes}

    def provider_names(self, name: str) -> dict[str, None]:
        """Names of packages of which some version provides a name, in order of listing."""
        found: dict[str, None] = {}
        for _, index in self.indexes:
            found.update(dict.fromkeys(row.name for row in index.providers(name)))
        if self.record:
            rows = self.record.providers(name)
            found.update(dict.fromkeys(row.name for row in rows if choice.is_installed(row.state)))
        return found

    def provides(self, version: Version) -> dict[str, str]:
        """Names a version provides, with the version it provides them at (or empty)."""
        fields = parse_stanza(self.text(version.holders[0]))
        found = {}
        for part in fields.get("provides", "").split(","):
            name, _, rest = part.strip().partition(" ")
            if name:
                found[name.partition(":")[0]] = rest.strip("()= \n")
        return found

    def field(self, version: Version, name: str) -> str:
        """A field of a version's full text, empty where it has none."""
        return parse_stanza(self.text(version.holders[0])).get(name, "")

    def knows(self, name: str) -> bool:
        """Whether any version of a name, or a provider of it, is known here."""
        return bool(self.packages(name)) or bool(self.provider_names(name))

    def installed_names(self) -> list[str]:
        """Names of all installed packages, in byte order."""
        return sorted({row.name for row in self.installed_rows()})

    def installed_rows(self) -> Iterator[Row]:
        """The record's rows of packages that are installed."""
        if self.record:
            yield from (row for row in self.record.all_rows() if choice.is_installed(row.state))

    def offered_names(self) -> set[str]:
        """Every name that a source that is on offers."""
        found: set[str] = set()
        for _, index in self.indexes:
            found.update(index.names())
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
        if self.preferences.error:
            return self.preferences.error
        return self._unknown_target()

    def _unknown_target(self) -> Reason | None:
        if not self.target or "=" in self.target:
            return None
        pin = release_pin(self.target)
        sites = [self.own_origin.site, *(origin.site for origin, _ in self.origins)]
        if any(pin.selects_site(site) for site in sites):
            return None
        place = self.conf.place("APT::Default-Release")
        return Reason("target-unknown", {"target": self.target, "place": str(place)})

    # -- reports -------------------------------------------------------------------------

    def facts(self) -> HostFacts:
        """What host this is."""
        dates = [self.copies[source.handle].release.date for source in self.sources if source.on]
        known = [date for date in dates if date]
        states = [row.state for row in self.installed_rows()]
        standings = [self.state_of(source) for source in self.sources]
        return HostFacts(
            kind=KIND,
            release=self.release,
            arch=self.native,
            foreign=self.archs[1:],
            on=sum(source.on for source in self.sources),
            off=sum(not source.on for source in self.sources),
            not_fetched=standings.count("not fetched"),
            oldest=min(known, default=None),
            newest=max(known, default=None),
            installed=len(states),
            held=sum(state.startswith("hold ") for state in states),
            notes=tuple(self.notes()),
        )

    def notes(self) -> Iterable[Note]:
        """Everything odd that was found in the host's files."""
        yield from (
            Note(Place(error.file, error.line), error.what) for error in self.source_files.errors
        )
        yield from self.source_files.notes
        if self.preferences.error:
            error = self.preferences.error
            yield Note(Place(error.file, error.line), error.what)
        yield from self.preferences.notes
        if self.record:
            for line, text in self.record.notes:
                yield Note(Place(self.record_file, line), text)

    def skipped(self) -> list[tuple[str, str]]:
        """Files in the host's own places that its installer passes over, and why."""
        return [*self.source_files.skipped, *self.preferences.skipped, *self.conf.skipped]

    def state_of(self, source: Source) -> Literal["on", "off", "not fetched"]:
        """Whether a source takes part."""
        if not source.on:
            return "off"
        return "on" if self.copies[source.handle].files else "not fetched"

    def standings(self) -> list[Standing]:
        """Every source in the order in which it wins."""
        from velpin.kinds.deb.standing import standings

        return standings(self)

    # -- the rest of the interface: each in a module of its own, read when it is used -------

    def forecast(self, texts: Sequence[str], source: str = "") -> Forecast:
        """Predict one transaction for all requests together."""
        from velpin.kinds.deb.forecast import forecast

        return forecast(self, texts, source)

    def offers(self, names: Iterable[str]) -> list[Offer]:
        """Every offer of some names, newest first."""
        from velpin.kinds.deb.offers import offers_of

        return offers_of(self, names)

    def offers_from(self, handle: str, glob: str = "*") -> list[Offer]:
        """What one source offers."""
        from velpin.kinds.deb.offers import offers_from

        return offers_from(self, handle, glob)

    def near_names(self, name: str) -> tuple[str, ...]:
        """Names like one that is not known."""
        from velpin.kinds.deb.forecast import near_names

        return near_names(self, name)

    def find(self, text: str, most: int = 40) -> tuple[list[Met], int]:
        """Names and summaries that hold the words of a text, best first."""
        from velpin.kinds.deb.offers import find

        return find(self, text, most)

    def source(self, handle: str) -> DebSource:
        """The source with a handle; Refusal where there is none."""
        from velpin.kinds.deb.offers import find_source

        return find_source(self, handle)

    def fetch_proxies(self) -> dict[str, str]:
        """Proxies of the installer's configuration, by scheme."""
        named = {s: self.conf.get(f"Acquire::{s}::Proxy") for s in ("http", "https")}
        return {scheme: address for scheme, address in named.items() if address}

    def fetch_logins(self) -> list[Login]:
        """Logins for private sources."""
        from velpin.kinds.deb.logins import read_logins

        return read_logins(self.tree)

    def refresh(
        self, handle: str, transport: Transport, *, accept_changed: bool = False
    ) -> DebRefreshed:
        """Fetch and check the indexes of one source; failures are returned."""
        from velpin.kinds.deb.refresh import refresh_source

        source = self.source(handle)
        return refresh_source(self, source, transport, accept_changed=accept_changed)

    def read_indexes(self, handle: str) -> int:
        """Parse the indexes of a source now; how many offers they hold."""
        copy = self.copies[handle]
        return sum(self.index(path).count for path in copy.files.values())

    def plan_add(self, wish: SourceWish, transport: Transport) -> Plan:
        """What adding a source would write."""
        from velpin.kinds.deb.add import plan_add

        return plan_add(self, wish, transport)

    def plan_switch(self, handle: str, on: bool) -> Plan:
        """What switching a source on or off would write."""
        from velpin.change.plan import Plan
        from velpin.kinds.deb.edit import switch

        source = self.source(handle)
        word = "on" if on else "off"
        plan = Plan(f"velpin {word} {source.handle}", f"switch {source.handle} {word}")
        plan.handles = [source.handle]
        plan.edits = switch(self.tree, source, on) if source.on != on else {}
        plan.planned_on = {file: self.tree.read(file) for file in plan.edits}
        return plan

    def plan_drop(self, handle: str) -> Plan:
        """What taking a source away would write."""
        from velpin.change.plan import Plan
        from velpin.kinds.deb.edit import drop

        source = self.source(handle)
        plan = Plan(f"velpin drop {source.handle}", f"drop source {source.handle}")
        plan.handles = [source.handle]
        plan.edits = drop(self.tree, source)
        plan.planned_on = {file: self.tree.read(file) for file in plan.edits}
        return plan

    def keys(self) -> list[KeyUse]:
        """Every key that vouches for something, and for what."""
        from velpin.kinds.deb.keyring import key_uses

        return key_uses(self)

    def came_from(self, handle: str) -> list[str]:
        """Installed packages whose version the host takes from a source."""
        found = []
        for name in self.installed_names():
            for package in self.packages(name).values():
                installed = package.installed
                if installed and installed.offered and installed.offered[0].origin.source == handle:
                    found.append(name)
        return sorted(set(found))

    def next_of(self, name: str, arch: str) -> tuple[str, str] | None:
        """Version and source an installed package would have after the next upgrade."""
        package = self.packages(name).get(self.native if arch == "all" else arch)
        if package is None:
            return None
        chosen = choice.candidate(package) or package.installed
        if package.held:
            chosen = package.installed
        if chosen is None:
            return None
        return chosen.text, chosen.offered[0].origin.source if chosen.offered else ""

    def moves_since(self, before: DebHost) -> Iterator[Moved]:
        """Installed packages whose next version or source differs from what it was."""
        for row in self.installed_rows():
            was, now = before.next_of(row.name, row.arch), self.next_of(row.name, row.arch)
            if was != now:
                yield Moved(row.name, row.arch, row.version, was, now)


def site_of(source: DebSource, release: Release, section: str, arch: str) -> Site:
    """What records can match of one index of a source."""
    scheme, _, rest = source.address.partition(":")
    host = ""
    if rest.startswith("//"):
        host = rest[2:].partition("/")[0].rpartition("@")[2]
        host = host[1:].partition("]")[0] if host.startswith("[") else host.partition(":")[0]
    if scheme in ("file", "copy"):
        host = ""
    return Site(
        archive=release.suite,
        codename=release.codename,
        origin=release.origin,
        label=release.label,
        version=release.version,
        component=section,
        arch=None if source.flat else arch,
        site=host,
    )


def wanted_indexes(source: DebSource, release: Release) -> Iterator[tuple[str, str]]:
    """Section and architecture of each index the configuration asks for, in order."""
    for section, archs in source.section_order:
        if source.flat:
            yield section, archs[0] if archs else ""
            continue
        for arch in archs:
            if not release.architectures or arch in release.architectures or not release.date_text:
                yield section, arch
        if release.reads_all:
            yield section, "all"


def list_name(url: str, release: str) -> str:
    """How the host's installer names its copies of a source's files, up to the last part."""
    _, _, rest = url.partition(":")
    path = rest.removeprefix("//")
    if rest.startswith("//"):
        host, slash, tail = path.partition("/")
        host = host.rpartition("@")[2].strip("[]") if not host.startswith("[") else host
        path = host.replace("[", "").replace("]", "") + slash + tail
    if release.endswith("/"):
        path = path.rstrip("/") + "/" + ("" if release == "/" else release)
    else:
        path += "/"
    return "_".join(_quoted(part) for part in path.split("/"))


def _quoted(part: str) -> str:
    def hexed(found: re.Match[str]) -> str:
        return "".join(f"%{byte:02x}" for byte in found.group().encode())

    return _QUOTED_NAME.sub(hexed, part).replace("/", "_")


def _parts(path: Path) -> list[Part]:
    return packages.parts_of(unpacked(path))


def _record_parts(path: Path) -> list[Part]:
    return packages.parts_of(unpacked(path), record=True)


def _machine() -> str:
    import platform

    machine = platform.machine()
    names = {"x86_64": "amd64", "aarch64": "arm64", "armv7l": "armhf", "i686": "i386"}
    return names.get(machine, machine)
