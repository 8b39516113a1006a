"""Locks: what may neither come nor go.

    type: package              blocks of such lines, parted by blank ones
    match_type: glob           glob, exact, regex or substring, which it is unless said
    case_sensitive: on         off unless said
    solvable_name: NAME        several may stand in one block
    version: >= 2.0
    repo: ALIAS

The fields of a block are combined, blocks add up.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from fnmatch import translate
from operator import itemgetter

from velpin.files.text import HostText, stripped
from velpin.files.tree import Tree
from velpin.kinds.rpm.asked import bound_fits
from velpin.kinds.rpm.ini import truth
from velpin.kinds.rpm.pattern import Globs, fitting
from velpin.kinds.rpm.relation import OPERATORS
from velpin.model.reason import Place

FILE = "etc/zypp/locks"
_FIELD = re.compile(r"(?as)([\w-]+)\s*:\s*(.*)")
_VERSION = re.compile(r"(<=|>=|==|=|<|>)?\s*(\S+)")


@dataclass(slots=True)
class Lock:
    """One block."""

    place: Place
    last: int = 0
    """Its last line."""
    names: list[str] = field(default_factory=list)
    match: str = "substring"
    case: bool = False
    version: str = ""
    repositories: list[str] = field(default_factory=list)
    kind: str = "package"
    compiled: list[re.Pattern[str]] | None = None
    others: list[str] = field(default_factory=list)
    """Fields that are not known here; a lock with such decides nothing here."""

    def means(self, handle: str, name: str, version: str) -> bool:
        """Whether it means a package of a source (empty for what is installed)."""
        if self.kind != "package" or self.others:
            return False
        if not (self.names or self.repositories or self.version):
            return False
        if self.repositories and handle not in self.repositories:
            return False
        if self.version and not self._version_fits(version):
            return False
        return not self.names or any(pattern.search(name) for pattern in self._patterns())

    def names_among(self, names: Sequence[str]) -> Iterable[str]:
        """Those of some sorted names that it means, in whatever version of whatever source."""
        if not self.names:
            return names
        if self.case and self.match == "glob":
            return {name for glob in self.names for name in fitting(names, glob)}
        return [name for name in names if any(found.search(name) for found in self._patterns())]

    @property
    def told(self) -> tuple[object, ...]:
        """All that it says, wherever it stands."""
        return (
            tuple(self.names), self.match, self.case, self.version, tuple(self.repositories),
            self.kind, tuple(self.others),
        )  # fmt: skip

    def _version_fits(self, version: str) -> bool:
        found = _VERSION.match(self.version)
        if not found:
            return False
        operator = found.group(1) or "="
        return operator in OPERATORS and bound_fits(operator, found.group(2), version)

    def _patterns(self) -> list[re.Pattern[str]]:
        if self.compiled is None:
            self.compiled = list(self._compile())
        return self.compiled

    def _compile(self) -> Iterator[re.Pattern[str]]:
        flags = 0 if self.case else re.IGNORECASE
        for name in self.names:
            if self.match == "glob":
                yield re.compile(r"\A" + translate(name), flags)
            elif self.match == "regex":
                try:
                    yield re.compile(name, flags)
                except re.error:
                    continue
            elif self.match == "substring":
                yield re.compile(re.escape(name), flags)
            else:
                yield re.compile(rf"\A{re.escape(name)}\Z", flags)


class Locks:
    """All locks of a host, asked which means a package.

    There may be thousands, and a hundred thousand packages to ask for: those of plain names and
    globs are found by the text that they begin with.
    """

    def __init__(self, locks: Sequence[Lock]) -> None:
        self._near = Globs[tuple[int, Lock]]()
        for place, lock in enumerate(locks):
            plain = lock.case and lock.match in ("glob", "exact")
            for name in lock.names if plain and lock.names else [""]:
                self._near.add(name, (place, lock))

    def first(self, handle: str, name: str, version: str) -> Lock | None:
        """The first that means a package of a source (empty for what is installed)."""
        found = [each for each in self._near.near(name) if each[1].means(handle, name, version)]
        return min(found, key=itemgetter(0))[1] if found else None


def read_locks(tree: Tree, file: str = FILE) -> list[Lock]:
    """All locks of a host."""
    found: list[Lock] = []
    open_ = False
    for number, line in HostText(tree.read(file), file).numbered():
        text = stripped(line)
        if text.startswith("#"):
            continue
        field_ = _FIELD.match(text)
        if not field_:
            open_ = False
            continue
        if not open_:
            found.append(Lock(Place(file, number)))
            open_ = True
        _take(found[-1], field_.group(1), stripped(field_.group(2)))
        found[-1].last = number
    return found


def _take(lock: Lock, key: str, value: str) -> None:
    if key == "solvable_name":
        lock.names.append(value)
    elif key == "repo":
        lock.repositories.append(value)
    elif key == "version":
        lock.version = value
    elif key == "match_type":
        lock.match = value.lower()
    elif key == "case_sensitive":
        lock.case = truth(value, False)
    elif key == "type":
        lock.kind = value
    elif key not in ("query_string", "complex"):
        lock.others.append(key)
