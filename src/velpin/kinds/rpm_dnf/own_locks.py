"""Version locks of the newer generation: the installer's own file of what names may be (observed).

    version = "1.0"
    [[packages]]
    name = "gull-*"                a glob
    [[packages.conditions]]        all of an entry must hold
    key = "evr"                    or "epoch", "arch"
    comparator = "<="              or "=", "!=", "<", ">", ">="
    value = "0:2.1-4"

Of a name that some entry speaks of, only versions that fit one of its entries can be had; what
replaces such a version is kept out too. Installed packages are not hidden. A version without a
release is lower than the same with one. What is not understood has no effect.

Observed rules: docs/how-hosts-choose/rpm-dnf-newer.md, "Version locks".
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from fnmatch import fnmatchcase
from functools import cached_property
from typing import Any, NamedTuple

from velpin.errors import HostFileError
from velpin.files.tree import Tree
from velpin.kinds.rpm.pattern import Globs, Named
from velpin.kinds.rpm.pool import RpmPackage, RpmPool, obsoletes
from velpin.kinds.rpm.relation import Capability
from velpin.kinds.rpm.version import compare_part, parse
from velpin.model.reason import Place

FILE = "etc/dnf/versionlock.toml"
PREAMBLE = b'version = "1.0"\n'
_TESTS = {"=": (0,), "!=": (-1, 1), "<": (-1,), "<=": (-1, 0), ">": (1,), ">=": (0, 1)}
_ENTRY = re.compile(r"(?m)^[ \t]*\[\[\s*packages\s*\]\]")


class Condition(NamedTuple):
    """One thing that must hold of a version."""

    key: str
    comparator: str
    value: str

    def holds(self, one: Named) -> bool:
        """Whether it does."""
        return self._order(one) in _TESTS[self.comparator]

    def _order(self, one: Named) -> int:
        if self.key == "arch":
            return 0 if one.arch == self.value else 1
        mine = parse(one.version)
        if self.key == "epoch":
            return compare_part(str(mine.epoch or 0), self.value)
        other = parse(self.value)
        if (mine.epoch or 0) != (other.epoch or 0):
            return 1 if (mine.epoch or 0) > (other.epoch or 0) else -1
        order = compare_part(mine.version, other.version)
        return order or compare_part(mine.release or "", other.release or "")


class OwnLock(NamedTuple):
    """One entry of the file."""

    place: Place
    pattern: str
    conditions: tuple[Condition, ...]
    never: bool = False

    def speaks_of(self, name: str) -> bool:
        """Whether it is about a name."""
        return fnmatchcase(name, self.pattern)

    def allows(self, one: Named) -> bool:
        """Whether a version fits it."""
        return self.speaks_of(one.name) and all(part.holds(one) for part in self.conditions)


def read_own_locks(tree: Tree) -> list[OwnLock]:
    """The entries that have an effect; HostFileError where the file is no TOML, which stops the
    installer."""
    data = tree.read(FILE)
    if data is None:
        return []
    import tomllib

    try:
        text = data.decode("utf-8")
        given = tomllib.loads(text)
    except (ValueError, RecursionError) as problem:
        raise HostFileError(FILE, 0, str(problem)) from problem
    if given.get("version") != "1.0" or not isinstance(given.get("packages"), list):
        return []
    lines = [text.count("\n", 0, found.start()) + 1 for found in _ENTRY.finditer(text)]
    found = []
    for number, entry in enumerate(given["packages"]):
        line = lines[number] if number < len(lines) else 0
        lock = _entry(entry, Place(FILE, line))
        if lock is not None:
            found.append(lock)
    return found


def _entry(entry: Any, place: Place) -> OwnLock | None:
    if not isinstance(entry, Mapping) or not isinstance(entry.get("name"), str):
        return None
    listed = entry.get("conditions", [])
    conditions = [_condition(one) for one in listed] if isinstance(listed, list) else []
    if not conditions or any(one is None for one in conditions):
        return None
    return OwnLock(place, entry["name"], tuple(one for one in conditions if one is not None))


def _condition(one: Any) -> Condition | None:
    if not isinstance(one, Mapping):
        return None
    told = [one.get(key) for key in ("key", "comparator", "value")]
    if not all(isinstance(text, str) for text in told):
        return None
    found = Condition(*map(str, told))
    known = found.key in ("evr", "epoch", "arch") and found.comparator in _TESTS
    return found if known else None


class OwnLocks:
    """The whole file, asked whether it keeps a package out."""

    def __init__(self, lines: Sequence[OwnLock]) -> None:
        self.lines = list(lines)
        self._near = Globs[OwnLock]()
        for lock in lines:
            self._near.add(lock.pattern, lock)

    def __bool__(self) -> bool:
        return bool(self.lines)

    def hide(self, one: Named) -> bool:
        """Whether a package is kept out for its version."""
        about = list(self._about(one.name))
        return bool(about) and not any(lock.allows(one) for lock in about)

    def speak_of(self, name: str) -> bool:
        """Whether some entry is about a name."""
        return any(True for _ in self._about(name))

    def _about(self, name: str) -> Iterator[OwnLock]:
        return (lock for lock in self._near.near(name) if lock.speaks_of(name))

    def hide_replacing(self, pool: RpmPool, build: RpmPackage) -> bool:
        """Whether a build is kept out because it replaces a version that is let through."""
        return any(
            lock.allows(Named(other.name, other.arch, other.version))
            for name in _replaced_names(build)
            for lock in self._about(name)
            for other in pool.all_named(name)
            if obsoletes(build, other)
        )

    def which(self, pool: RpmPool, build: RpmPackage) -> OwnLock | None:
        """An entry that keeps a build out, None where none does."""
        if not (
            self.hide(Named(build.name, build.arch, build.version))
            or self.hide_replacing(pool, build)
        ):
            return None
        names = (build.name, *_replaced_names(build))
        return next((lock for lock in self.lines if any(map(lock.speaks_of, names))), None)

    @cached_property
    def told(self) -> frozenset[tuple[str, object]]:
        """All of it, to be compared; the pattern first in each."""
        return frozenset((lock.pattern, lock.conditions) for lock in self.lines)


def _replaced_names(build: RpmPackage) -> Iterator[str]:
    for relation in build.facts.obsoletes:
        if isinstance(relation, Capability):
            yield relation.name


def lock_text(name: str, evr: str, arch: str = "") -> str:
    """An entry that lets one version of a name through."""
    conditions = [("evr", evr), *([("arch", arch)] if arch else [])]
    told = "".join(
        f'\n[[packages.conditions]]\nkey = "{key}"\ncomparator = "="\nvalue = "{value}"'
        for key, value in conditions
    )
    return f'[[packages]]\nname = "{name}"{told}'
