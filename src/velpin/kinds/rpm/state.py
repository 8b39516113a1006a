"""One rpm host as read: configuration, lists, packages - what both layouts share.

Observed rules: docs/how-hosts-choose/rpm.md, "The order of steps".
"""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Iterable, Iterator, Mapping, Sequence
from functools import cached_property, partial
from pathlib import Path
from typing import TYPE_CHECKING, Self

from velpin.core.indexed_host import IndexedHost
from velpin.errors import HostFileError
from velpin.files.tree import read_release_fields
from velpin.kinds.rpm import primary
from velpin.kinds.rpm.arch import NOARCH, Archs
from velpin.kinds.rpm.copies import RpmCopy, RpmCopyFinder
from velpin.kinds.rpm.entry import RpmLink
from velpin.kinds.rpm.ini import words
from velpin.kinds.rpm.pattern import Named, Patterns
from velpin.kinds.rpm.pool import RpmOrigin, RpmPackage, RpmPool, is_newer
from velpin.kinds.rpm.record.packages import read_record, stamp_of
from velpin.kinds.rpm.record.place import find_record
from velpin.kinds.rpm.solve.options import SolverOptions
from velpin.kinds.rpm.solve.policy import Policy, by_priority
from velpin.kinds.rpm.solve.solver import Job, RpmSolver
from velpin.kinds.rpm.source import RpmSource
from velpin.model.installer import Installer
from velpin.model.reason import Note, Reason
from velpin.model.request import Request
from velpin.model.source import Source
from velpin.ports.refused import RequestRefused
from velpin.store.index import Index, IndexPart

if TYPE_CHECKING:
    from velpin.fetch.download import Certificates, Login
    from velpin.kinds.rpm.rules.store import RuleLine
    from velpin.model.host import SourceState
    from velpin.model.rule import Rule, RuleInForce


class RpmState(IndexedHost[RpmSource]):
    """What is read of a host; each layout says where its own files lie and what they mean."""

    kind: str
    lists_wanted: tuple[str, ...]
    """Kinds of list that the host's installer reads."""

    generations = ("older", "newer")

    def recorded(self, *names: str) -> Installer:
        """The first of some packages that is installed, as the installer; else the first, of
        which the record says nothing."""
        for name in names:
            for row in self.record.rows(name) if self.record else ():
                return Installer(name, row.version)
        return Installer(names[0], "")

    # -- said by each layout ---------------------------------------------------------------

    @abstractmethod
    def copy_folders(self, source: RpmSource) -> list[str]:
        """Where the installer may keep its copy of a source."""

    @abstractmethod
    def hides(self, build: RpmPackage) -> bool:
        """Whether the configuration keeps an offered build out of everything."""

    @abstractmethod
    def why_hidden(self, build: RpmPackage) -> Reason | None:
        """Why an offered build takes no part, None where it does."""

    @property
    @abstractmethod
    def sources_folder(self) -> str:
        """Where a new source's file goes."""

    @property
    @abstractmethod
    def variables(self) -> Mapping[str, str]:
        """Variables of source files."""

    @property
    @abstractmethod
    def common_settings(self) -> tuple[object, ...]:
        """All beside the sources that decides what a name gets, whatever it is called."""

    @property
    @abstractmethod
    def has_filters(self) -> bool:
        """Whether anything keeps single packages out."""

    @abstractmethod
    def filtered_unlike(self, other: Self) -> Iterable[str]:
        """Names of which single packages may be kept out on one of two states of this host and
        not on the other."""

    @abstractmethod
    def filters(self, source: RpmSource, name: str, arch: str, version: str) -> bool:
        """Whether a package of a source is kept out, modules aside."""

    ties_matter: bool
    """Whether more than the order of reading decides between builds of one version."""

    @cached_property
    def special_names(self) -> frozenset[str]:
        """Names for which more than their own lines in the lists decides."""
        return (
            frozenset(
                name for _, index in self.opened for name in index.all_linked(RpmLink.OBSOLETES)
            )
            | self.module_names
        )

    @property
    def module_names(self) -> frozenset[str]:
        """Names that modules mention."""
        return frozenset()

    @property
    def reads_files(self) -> bool:
        """Whether the full lists of files are read where the host has them."""
        return True

    def for_requests(self, requests: Sequence[Request]) -> Self:
        """The host as it is read for some requests."""
        return self

    # -- rules ----------------------------------------------------------------------------

    rule_keys: tuple[str, ...]
    """Keys of sections that are rules."""
    block_files: tuple[str, ...] = ()
    """Files of blocks that are rules."""

    @property
    def block_preamble(self) -> bytes:
        """What a new file of such blocks begins with."""
        return b""

    @property
    def line_files(self) -> list[str]:
        """Files of lines that are rules."""
        return []

    stated: frozenset[str] = frozenset()
    """Capabilities that the host itself meets."""
    brings_splits = False
    """Whether what was split off from a package comes when that is replaced."""
    zero_counts = True
    """Whether 0 is a priority like others for a source."""

    @property
    @abstractmethod
    def variables_folder(self) -> str:
        """The folder of variables that counts before others."""

    @property
    @abstractmethod
    def section_files(self) -> list[str]:
        """Files of sections in which rules may stand."""

    @abstractmethod
    def check_rule(self, rule: Rule) -> None:
        """Refusal, with the nearest, where this kind of host cannot express a rule."""

    @abstractmethod
    def pieces(self, rule: Rule) -> list[RuleLine]:
        """What a rule puts where, one about the order of sources aside."""

    @abstractmethod
    def common_rules(self) -> list[RuleInForce]:
        """Rules that are of no single source."""

    def pattern_means(self, text: str, name: str, arch: str, version: str) -> bool:
        """Whether a list of patterns means a package."""
        if text not in self._lists:
            self._lists[text] = Patterns(words(text))
        return self._lists[text].mean(Named(name, arch, version))

    @cached_property
    def _lists(self) -> dict[str, Patterns]:
        return {}

    def is_widened(self, name: str) -> bool:
        """Whether a request for a name may be met by another that replaces it."""
        return name in self.special_names

    @abstractmethod
    def why_locked(self, build: RpmPackage) -> Reason | None:
        """Why an installed build may not change, None where it may."""

    @property
    @abstractmethod
    def solver_options(self) -> SolverOptions:
        """How this host decides."""

    @property
    @abstractmethod
    def installed_first(self) -> bool:
        """Whether the installer reads its own record before the sources' lists."""

    @abstractmethod
    def refusal(self) -> HostFileError | Reason | None:
        """Why this host would refuse every request; None where it would not."""

    @property
    @abstractmethod
    def lenient(self) -> bool:
        """Whether what cannot be had is left out of a request."""

    @abstractmethod
    def jobs(self, request: Request) -> list[Job]:
        """What a request asks for."""

    @abstractmethod
    def upgrade_work(self, *, realign: bool = False) -> RpmSolver:
        """The full upgrade, not yet worked out."""

    @property
    @abstractmethod
    def settings_said(self) -> Mapping[str, str]:
        """What the main files say, as written, by the name of each setting."""

    @property
    @abstractmethod
    def config_errors(self) -> list[HostFileError]:
        """Files of the configuration that cannot be read."""

    @abstractmethod
    def skipped(self) -> list[tuple[str, str]]:
        """Files in the host's own places that its installer passes over, and why."""

    @abstractmethod
    def fetch_proxies(self) -> Mapping[str, str]:
        """Proxies of the installer's configuration, by scheme."""

    @abstractmethod
    def fetch_logins(self) -> Sequence[Login]:
        """Logins for private sources."""

    @property
    @abstractmethod
    def config_notes(self) -> list[Note]:
        """What is odd in the configuration."""

    # -- the host --------------------------------------------------------------------------

    @cached_property
    def release(self) -> Mapping[str, str]:
        """The fields of etc/os-release."""
        return read_release_fields(self.tree)

    @cached_property
    def archs(self) -> Archs:
        """The architectures of this host."""
        return Archs(self._native())

    def _native(self) -> str:
        data = self.tree.read("etc/rpm/platform")
        if data:
            return data.decode("utf-8", "replace").partition("-")[0].strip()
        counts: dict[str, int] = {}
        for row in self.record.all_rows() if self.record else ():
            counts[row.arch] = counts.get(row.arch, 0) + (row.arch != NOARCH)
        counts = {arch: count for arch, count in counts.items() if count}
        if counts:
            return "x86_64" if "x86_64" in counts else max(sorted(counts), key=counts.__getitem__)
        import platform

        return platform.machine()

    @property
    def native(self) -> str:
        """The host's own architecture."""
        return self.archs.native

    @cached_property
    def record_file(self) -> str | None:
        """The record of installed packages, below the root."""
        return find_record(self.tree)

    @cached_property
    def record(self) -> Index | None:
        """The record of installed packages; None on a host without one."""
        if self.record_file is None:
            return None
        path = self.tree.path(self.record_file)
        return self.cache.parsed(
            path, lambda file: [partial(read_record, file)], stamp_of, is_apart=False
        )

    # -- lists ------------------------------------------------------------------------------

    @cached_property
    def record_names(self) -> list[str]:
        """Names of installed packages, sorted."""
        return sorted(self.record.names()) if self.record else []

    @cached_property
    def all_names(self) -> list[str]:
        """Names of all packages that can take part, sorted."""
        return sorted({name for origin in self.pool.origins for name in origin.index.names()})

    def names_of(self, handle: str) -> list[str]:
        """Names of the packages of a source, sorted."""
        found = self._names_of.get(handle)
        if found is None:
            index = self.index(self.source(handle))
            found = self._names_of[handle] = sorted(index.names()) if index else []
        return found

    @cached_property
    def _names_of(self) -> dict[str, list[str]]:
        return {}

    @cached_property
    def copies(self) -> dict[str, RpmCopy]:
        """For each source by handle the copy of its lists that counts."""
        finder = RpmCopyFinder(self.tree, self.cache, self.copy_folders, as_is=self.as_is)
        return {source.handle: finder.find(source) for source in self.sources}

    def index(self, source: RpmSource) -> Index | None:
        """The parsed main list of a source; None where there is none."""
        copy = self.copies[source.handle]
        path = copy.files.get("primary")
        if path is None:
            return None
        listed = copy.repomd.of("primary")
        return self.cache.parsed(path, partial(_parts, listed.open_size if listed else 0))

    # -- packages ---------------------------------------------------------------------------

    @cached_property
    def pool(self) -> RpmPool:
        """All packages that can take part."""
        return RpmPool(
            self.archs, self._origins(), self.hides, self.stated, splits=self.brings_splits
        )

    def _origins(self) -> list[RpmOrigin]:
        own = [RpmOrigin("", self.record, installed=True)] if self.record else []
        offered = [
            RpmOrigin(
                source.handle,
                index,
                source.priority,
                source.cost,
                hotfixes=source.hotfixes,
                files=self._files_of(source),
            )
            for source, index in self.opened
        ]
        found = own + offered if self.installed_first else offered + own
        first = 1
        for origin in found:
            origin.first = first
            first += origin.index.count
        return found

    def source_of(self, build: RpmPackage) -> RpmSource | None:
        """The source of an offered build; None for what is installed."""
        return self.by_handle.get(build.origin.handle)

    def _files_of(self, source: RpmSource) -> Path | None:
        if "filelists" not in self.lists_wanted or not self.reads_files:
            return None
        return self.copies[source.handle].files.get("filelists")

    def base_of(self, source: RpmSource) -> str:
        """The address that a source's lists came from, else the first it names."""
        fetched = self.copies[source.handle].fetched
        url = fetched.remote.get("url", "") if fetched else ""
        return url.removesuffix("/repodata/repomd.xml") or source.url

    def offered_as(self, build: RpmPackage) -> RpmPackage | None:
        """What a source that is on has of the very same version as an installed build; one
        that takes part before one that is kept out."""
        same = [
            package
            for package in self.pool.all_named(build.name)
            if not package.installed
            and package.arch == build.arch
            and package.version == build.version
        ]
        return next(
            (package for package in same if self.pool.visible(package)), next(iter(same), None)
        )

    def nothing_from(self, request: Request) -> RequestRefused:
        """Why a request gets nothing from the source it names."""
        source = self.by_handle.get(request.source)
        if source is not None and source.unread:
            return RequestRefused("type-not-read", source=source.handle, type=source.unread)
        if source is not None and not source.on:
            return RequestRefused("source-is-off", source=source.handle)
        if source is not None and not self.copies[source.handle].files:
            return RequestRefused("source-not-fetched", source=source.handle)
        return RequestRefused("not-in-source", name=request.name, source=request.source)

    def index_notes(self) -> Iterator[Reason]:
        """What to know of the lists behind a forecast: also of sources whose lists are not read."""
        yield from super().index_notes()
        for source in self.sources:
            if source.on and source.unread:
                yield Reason("type-not-read", {"source": source.handle, "type": source.unread})

    def taken_from(self, build: RpmPackage) -> str:
        """Handle of the source that a package is from, of an installed one the first that has
        it; empty where none has it."""
        offered = self.offered_as(build) if build.installed else build
        return offered.origin.handle if offered else ""

    def is_same(self, build: RpmPackage, other: RpmPackage) -> bool:
        """Whether two builds are one and the same package, wherever they are."""
        return (build.name, build.version, build.arch, build.facts.vendor, build.facts.built) == (
            other.name, other.version, other.arch, other.facts.vendor, other.facts.built,
        )  # fmt: skip

    # -- what the upgrade may change -------------------------------------------------------

    def moves(self, build: RpmPackage) -> tuple[list[RpmPackage], bool]:
        """What an installed build may change to in an upgrade, from any source; and whether it
        does so of itself, as the best source that has anything for it has something newer."""
        found = self._alike_or_newer(build)
        newer = [package for package in found if self.is_change(build, package)]
        return newer, any(self.is_change(build, package) for package in by_priority(found))

    def targets(self, build: RpmPackage) -> list[RpmPackage]:
        """What an installed build changes to of itself in the upgrade."""
        found, of_itself = self.moves(build)
        return found if of_itself else []

    def is_outdone(self, build: RpmPackage) -> bool:
        """Whether a newer version of an installed build stands beside it: the upgrade then
        goes by that alone (observed)."""
        return any(
            is_newer(other, build) and self.archs.may_follow(build.arch, other.arch)
            for other in self.pool.installed(build.name)
        )

    def is_change(self, build: RpmPackage, other: RpmPackage) -> bool:
        """Whether it would be an upgrade to come from one to the other."""
        return other.name != build.name or is_newer(other, build)

    def _alike_or_newer(self, build: RpmPackage) -> list[RpmPackage]:
        may_follow = self.solver_options.same_vendor
        found = [
            package
            for package in self.pool.named(build.name)
            if not package.installed
            and not is_newer(build, package)
            and may_follow(build, package)
            and self.archs.may_follow(build.arch, package.arch)
        ]
        return found + [
            package
            for package in self.pool.obsoleting(build)
            if package.name != build.name
            and may_follow(build, package)
            and self.archs.may_follow(build.arch, package.arch)
            and all(is_newer(package, here) for here in self.pool.installed(package.name))
        ]

    # -- single names ----------------------------------------------------------------------

    def choice_of(self, name: str) -> RpmPackage | None:
        """What a request for a name would take, its needs aside; of an installed package
        what the upgrade would. None where there is nothing available."""
        policy = Policy(self.pool)
        here = [build for build in self.pool.installed(name) if not self.is_outdone(build)]
        if here:
            found = policy.best(by_priority(self.targets(here[0])))
            return found[0] if found else here[0]
        try:
            jobs = self.jobs(Request(name, name))
        except RequestRefused:
            return None
        found = policy.order(jobs[0].builds) if jobs else []
        return found[0] if found else None

    def knows(self, name: str) -> bool:
        """Whether a package of a name, or a provider of it, is known here."""
        return bool(self.pool.all_named(name)) or any(
            origin.index.providers(name) for origin in self.pool.origins
        )

    def state_of(self, source: Source) -> SourceState:
        """Whether a source takes part."""
        if not source.on:
            return "off"
        return "on" if self.copies[source.handle].files else "not fetched"

    def reads(self, source: Source) -> bool:
        """Whether the lists of a source are of a form that is read here."""
        return not self.by_handle[source.handle].unread

    def fetch_certificates(self) -> Sequence[Certificates]:
        """Certificates that private sources ask for."""
        return ()


def _parts(size: int, path: Path) -> list[IndexPart]:
    return primary.parts_of(path, size)
