"""Patterns for packages as rpm hosts write them in excludes, includes and requests.

    NAME-EPOCH:VERSION-RELEASE.ARCH   NAME.ARCH   NAME   NAME-VERSION-RELEASE   NAME-VERSION

The epoch may be left away and then means any; each part is a glob of its own. Besides, the
whole is a glob for the first form (with the epoch where the pattern has a colon) (observed).

Observed rules: docs/how-hosts-choose/rpm.md.
"""

from __future__ import annotations

import re
from bisect import bisect_left, insort
from collections.abc import Iterable, Iterator, Sequence
from fnmatch import translate
from functools import lru_cache
from itertools import chain
from typing import Generic, NamedTuple, TypeVar

from velpin.files.text import beginning_with, plain_start, whole_number
from velpin.kinds.rpm.version import Evr, parse


class Named(NamedTuple):
    """What a pattern can mean: a package, wherever it is."""

    name: str
    arch: str
    version: str


class _Form(NamedTuple):
    """One way to read a pattern; None where it says nothing of a part."""

    name: str
    epoch: int | None = None
    version: str | None = None
    release: str | None = None
    arch: str | None = None

    def means(self, build: Named, evr: Evr) -> bool:
        """Whether it means a package, the name aside."""
        if self.arch is not None and not _fits(self.arch, build.arch):
            return False
        if self.epoch is not None and self.epoch != (evr.epoch or 0):
            return False
        if self.version is not None and not _fits(self.version, evr.version):
            return False
        return self.release is None or _fits(self.release, evr.release or "")


class Patterns:
    """Some patterns, asked whether one of them means a package.

    There may be thousands, and a hundred thousand packages to ask for: globs are found by the text
    that they begin with.
    """

    def __init__(self, texts: Iterable[str]) -> None:
        self.texts = tuple(texts)
        self._by_name: dict[str, list[_Form]] = {}
        self._globs = Globs[_Form]()
        self._whole, self._whole_with_epoch = Globs[str](), Globs[str]()
        for text in self.texts:
            if is_glob(text) and "-" in text:
                (self._whole_with_epoch if ":" in text else self._whole).add(text, text)
            for form in _forms(text):
                if is_glob(form.name):
                    self._globs.add(form.name, form)
                else:
                    self._by_name.setdefault(form.name, []).append(form)

    def __bool__(self) -> bool:
        return bool(self.texts)

    def mean(self, build: Named) -> bool:
        """Whether one of them means a package."""
        if not self.texts:
            return False
        name = build.name
        near = [*self._by_name.get(name, ()), *self._globs.near(name)]
        if not near and not (self._whole or self._whole_with_epoch):
            return False
        evr = parse(build.version)
        if any(_fits(form.name, name) and form.means(build, evr) for form in near):
            return True
        for globs, epoch in ((self._whole, False), (self._whole_with_epoch, True)):
            if globs:
                written = _written(build, evr, epoch)
                if any(_fits(text, written) for text in globs.near(written)):
                    return True
        return False

    def speak_of(self, name: str) -> bool:
        """Whether one of them is about a name, in whatever version."""
        return name in self._by_name or any(
            _fits(form.name, name) for form in self._globs.near(name)
        )

    def names_among(self, names: Sequence[str]) -> set[str]:
        """Those of some sorted names of which one of them may mean a version."""
        found = {name for name in self._by_name if is_among(names, name)}
        for form in self._globs:
            found.update(fitting(names, form.name))
        for text in (*self._whole, *self._whole_with_epoch):
            start = plain_start(text)
            found.update(beginning_with(names, start))
            parts = start.split("-")
            shorter = ("-".join(parts[:count]) for count in range(1, len(parts)))
            found.update(name for name in shorter if is_among(names, name))
        return found

    def which(self, build: Named) -> str:
        """The pattern that means a package, empty where none does."""
        return next((text for text in self.texts if Patterns([text]).mean(build)), "")


_T = TypeVar("_T")


class Globs(Generic[_T]):
    """Globs, each with what it stands for, by the plain text that they begin with."""

    def __init__(self) -> None:
        self._by_start: dict[str, list[_T]] = {}
        self._lengths: list[int] = []

    def __bool__(self) -> bool:
        return bool(self._by_start)

    def add(self, glob: str, meant: _T) -> None:
        """Take one in."""
        start = plain_start(glob)
        if start not in self._by_start:
            self._by_start[start] = []
            if len(start) not in self._lengths:
                insort(self._lengths, len(start))
        self._by_start[start].append(meant)

    def near(self, text: str) -> Iterator[_T]:
        """What those stand for that begin as a text does."""
        for length in self._lengths:
            if length > len(text):
                break
            yield from self._by_start.get(text[:length], ())

    def __iter__(self) -> Iterator[_T]:
        return chain.from_iterable(self._by_start.values())


def _written(build: Named, evr: Evr, epoch: bool) -> str:
    mark = f"{evr.epoch or 0}:" if epoch else ""
    return f"{build.name}-{mark}{evr.version}-{evr.release}.{build.arch}"


def _forms(text: str) -> Iterator[_Form]:
    yield _Form(text)
    head, dot, arch = text.rpartition(".")
    if dot and head and arch and not set(arch) & set("-:"):
        yield _Form(head, arch=arch)
        yield from (form._replace(arch=arch) for form in _versioned(head, 2))
    for count in (2, 1):
        yield from _versioned(text, count)


def _versioned(text: str, count: int) -> Iterator[_Form]:
    """A name and as many parts of a version."""
    parts = text.rsplit("-", count)
    if len(parts) != count + 1 or not all(parts) or ":" in parts[0]:
        return
    epoch, colon, version = parts[1].rpartition(":")
    told = whole_number(epoch) if colon else None
    if colon and told is None:
        return
    yield _Form(parts[0], told, version, parts[2] if count == 2 else None)


def is_glob(text: str) -> bool:
    """Whether a text is a glob."""
    return any(char in text for char in "*?[")


def _fits(pattern: str, text: str) -> bool:
    if pattern in (text, "*"):
        return True
    return is_glob(pattern) and glob_pattern(pattern).match(text) is not None


@lru_cache(maxsize=1 << 16)
def glob_pattern(glob: str) -> re.Pattern[str]:
    """A glob as a pattern, letter case counts."""
    return re.compile(translate(glob))


def fitting(names: Sequence[str], glob: str) -> list[str]:
    """Those of some sorted names that a glob means."""
    near = list(beginning_with(names, plain_start(glob)))
    if not near:  # a pattern costs more to compile than to find useless
        return near
    means = glob_pattern(glob).match
    return [name for name in near if means(name)]


def is_among(names: Sequence[str], name: str) -> bool:
    """Whether a name is one of some sorted names."""
    at = bisect_left(names, name)
    return at < len(names) and names[at] == name
