"""Where a source's index lies on a deb host, and which of two copies counts.

The host's installer keeps its own copies, under names made from the address; Velpin's store
may hold newer ones. For each source the newer copy counts.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import Literal, NamedTuple

from velpin.errors import HostFileError
from velpin.fetch.unpack import EXTENSIONS
from velpin.files.text import encode
from velpin.files.tree import Tree
from velpin.kinds.deb.preferences import Site
from velpin.kinds.deb.release import Release, read_release
from velpin.kinds.deb.sources import DebSource
from velpin.store.cache import Fetched, IndexCache

_QUOTED_NAME = re.compile(r"[\\|{}\[\]<>\"^~_=!@#$%^&*\s]|[^\x21-\x7e]")


class DebCopy(NamedTuple):
    """The copy of a source's index that counts, and whose it is."""

    holder: Literal["installer", "velpin", ""]
    release: Release
    files: Mapping[tuple[str, str], Path]
    """Index files by component and architecture."""
    fetched: Fetched | None = None
    problem: HostFileError | None = None
    release_file: str = ""
    """The installer's copy of the release file, below the root."""


NO_COPY = DebCopy("", Release(), {})


def is_verified(tree: Tree, copy: DebCopy) -> bool:
    """Return whether the holder of a copy verified who signed it: the installer keeps a signature
    only if it could verify it."""
    if copy.fetched is not None:
        return bool(copy.fetched.signed_by)
    return copy.release_file.endswith("InRelease") or tree.exists(f"{copy.release_file}.gpg")


class DebCopyFinder:
    """Finds the copy of each source's index that counts."""

    def __init__(self, tree: Tree, cache: IndexCache, lists: str, *, as_is: bool) -> None:
        self._tree = tree
        self._shelf = cache
        self._lists = lists
        self._names = frozenset(tree.names(lists))
        self._as_is = as_is

    def find(self, source: DebSource) -> DebCopy:
        """The copy that counts; with `as_is` only the installer's."""
        theirs = self._installer_copy(source)
        ours = NO_COPY if self._as_is else self._own_copy(source)
        if not ours.holder or (theirs.holder and not theirs.files and not ours.files):
            return theirs
        if not theirs.holder or not theirs.files:
            return ours
        return ours if (ours.release.date or 0) > (theirs.release.date or 0) else theirs

    def _installer_copy(self, source: DebSource) -> DebCopy:
        folder, names = self._lists, self._names
        file = ""
        base = list_name(source.url if not source.flat else source.address, source.release)
        for ending in ("InRelease", "Release"):
            if base + ending not in names:
                continue
            file = f"{folder}/{base}{ending}"
            try:
                release = read_release(self._tree.read(file) or b"", file)
            except HostFileError as problem:
                return DebCopy("installer", Release(), {}, None, problem)
            break
        else:
            if not any(name.startswith(base) for name in names):
                return NO_COPY
            release = Release(reads_all=True)
        files = {}
        for component, arch in wanted_indexes(source, release):
            stem = base + (
                "Packages" if source.flat else f"{_quoted(component)}_binary-{arch}_Packages"
            )
            found = next((stem + end for end in EXTENSIONS if stem + end in names), "")
            if found:
                files[component, arch] = self._tree.path(f"{folder}/{found}")
        return DebCopy("installer", release, files, release_file=file)

    def _own_copy(self, source: DebSource) -> DebCopy:
        fetched = self._shelf.fetched(source.address, source.release)
        if fetched is None:
            return NO_COPY
        try:
            release = read_release(fetched.release_bytes(), str(fetched.path(fetched.release_file)))
        except (OSError, HostFileError):
            return NO_COPY
        files = {
            (component, arch): fetched.path(fetched.indexes[f"{component}/{arch}"])
            for component, arch in wanted_indexes(source, release)
            if f"{component}/{arch}" in fetched.indexes
        }
        return DebCopy("velpin", release, files, fetched)


def site_of(source: DebSource, release: Release, component: str, arch: str) -> Site:
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
        component=component,
        arch=None if source.flat else arch,
        site=host,
    )


def wanted_indexes(source: DebSource, release: Release) -> Iterator[tuple[str, str]]:
    """Section and architecture of each index the configuration asks for, in order."""
    for component, archs in source.component_order:
        if source.flat:
            yield component, archs[0] if archs else ""
            continue
        for arch in archs:
            if not release.architectures or arch in release.architectures or not release.date_text:
                yield component, arch
        if release.reads_all:
            yield component, "all"


def index_name(source: DebSource, component: str, arch: str) -> str:
    """How a release file calls an index, unpacked."""
    return "Packages" if source.flat else f"{component}/binary-{arch}/Packages"


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
        return "".join(f"%{byte:02x}" for byte in encode(found.group()))

    return _QUOTED_NAME.sub(hexed, part).replace("/", "_")
