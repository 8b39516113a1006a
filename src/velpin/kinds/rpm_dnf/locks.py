"""Version locks: a plugin's list of the versions that its names may have (observed).

    NAME-EPOCH:VERSION-RELEASE.ARCH   of that name only what one of its lines means
    !NAME-EPOCH:VERSION-RELEASE.*     never that
    # or an empty line                nothing

Lines with blanks in them mean nothing. What replaces a locked version is kept out too,
unless a lock means it. Installed packages are not hidden.

Observed rules: docs/how-hosts-choose/rpm.md, "Version locks (*dnf*)".
"""

from __future__ import annotations

from collections.abc import Iterator
from functools import cached_property
from typing import NamedTuple

from velpin.files.text import HostText, stripped, words
from velpin.files.tree import Tree
from velpin.kinds.rpm.ini import read_sections, truth
from velpin.kinds.rpm.pattern import Named, Patterns
from velpin.kinds.rpm.pool import RpmPackage, RpmPool, obsoletes
from velpin.kinds.rpm.relation import Capability
from velpin.model.reason import Place

SETTINGS = "etc/dnf/plugins/versionlock.conf"


class VersionLock(NamedTuple):
    """One line of the list."""

    place: Place
    pattern: str
    never: bool
    """Whether what it means is kept out, rather than all else of the name."""

    def speaks_of(self, name: str) -> bool:
        """Whether it is about a name."""
        return Patterns([self.pattern]).speak_of(name)

    def allows(self, one: Named) -> bool:
        """Whether it means a version."""
        return Patterns([self.pattern]).mean(one)


def list_file(tree: Tree) -> str:
    """The file of the list; empty where the plugin has no settings or is switched off."""
    data = tree.read(SETTINGS)
    if data is None:
        return ""
    main = next(
        (section for section in read_sections(data, SETTINGS) if section.name == "main"), None
    )
    if main is None or not truth(main.get("enabled", "0"), False):
        return ""
    return main.get("locklist", "/etc/dnf/plugins/versionlock.list").strip().lstrip("/")


def read_version_locks(tree: Tree) -> list[VersionLock]:
    """The lines of the list; none where there is no list in force."""
    file = list_file(tree)
    return list(_read_list(tree, file)) if file else []


def _read_list(tree: Tree, file: str) -> Iterator[VersionLock]:
    for number, line in HostText(tree.read(file), file).numbered():
        pattern = stripped(line)
        if pattern and not pattern.startswith("#") and len(words(pattern)) == 1:
            never = pattern.startswith("!")
            yield VersionLock(Place(file, number), pattern.removeprefix("!"), never)


class VersionLocks:
    """The whole list, asked whether it keeps a package out."""

    def __init__(self, lines: list[VersionLock]) -> None:
        self.lines = lines
        self._never = Patterns(lock.pattern for lock in lines if lock.never)
        self._only = Patterns(lock.pattern for lock in lines if not lock.never)

    def __bool__(self) -> bool:
        return bool(self.lines)

    def hide(self, one: Named) -> bool:
        """Whether a package is kept out for its version."""
        return self._never.mean(one) or (self._only.speak_of(one.name) and not self._only.mean(one))

    def hide_replacing(self, pool: RpmPool, build: RpmPackage) -> bool:
        """Whether a build is kept out because it replaces a version that is locked."""
        if not self._only or self._only.mean(Named(build.name, build.arch, build.version)):
            return False
        names = (
            relation.name for relation in build.facts.obsoletes if isinstance(relation, Capability)
        )
        return any(
            self._only.mean(Named(other.name, other.arch, other.version))
            for name in names
            if self._only.speak_of(name)
            for other in pool.all_named(name)
            if obsoletes(build, other)
        )

    def which(self, pool: RpmPool, build: RpmPackage) -> VersionLock | None:
        """The line that keeps a build out, None where none does."""
        named = Named(build.name, build.arch, build.version)
        if not (self.hide(named) or self.hide_replacing(pool, build)):
            return None
        names = {
            build.name,
            *(str(own).partition(" ")[0] for own in build.facts.obsoletes),
        }
        never = self._never.mean(named)
        for line in self.lines:
            listed = Patterns([line.pattern])
            means = listed.mean(named) if never else any(map(listed.speak_of, names))
            if line.never == never and means:
                return line
        return None

    def speak_of(self, name: str) -> bool:
        """Whether some line is about a name."""
        return self._never.speak_of(name) or self._only.speak_of(name)

    @cached_property
    def told(self) -> frozenset[tuple[str, object]]:
        """All of it, to be compared; the pattern first in each."""
        return frozenset((lock.pattern, lock.never) for lock in self.lines)
