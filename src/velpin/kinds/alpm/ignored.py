"""What the host's settings ignore: patterns of names, and of groups."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from fnmatch import translate
from functools import lru_cache

from velpin.kinds.alpm.pool import AlpmPackage
from velpin.kinds.alpm.reasons import IsIgnored, IsIgnoredGroup
from velpin.model.reason import Place

Pattern = tuple[str, Place]
"""A glob and where it stands."""


@lru_cache(maxsize=1024)
def _compiled(glob: str) -> re.Pattern[str]:
    return re.compile(translate(glob.replace("[^", "[!")))


def takes(glob: str, name: str) -> bool:
    """Whether a glob takes a name; letter case counts."""
    if not is_glob(glob):
        return glob == name
    return _compiled(glob).match(name) is not None


def is_glob(text: str) -> bool:
    """Whether a text is a glob rather than a plain name."""
    return any(mark in text for mark in "*?[\\")


def taken(glob: str, names: Iterable[str]) -> list[str]:
    """Those of some names that a glob takes."""
    if not is_glob(glob):
        return [glob] if glob in names else []
    takes_it = _compiled(glob).match
    return [name for name in names if takes_it(name)]


class Ignored:
    """Tells of a package whether the settings ignore it, and where they say so."""

    def __init__(self, names: Iterable[Pattern], groups: Iterable[Pattern]) -> None:
        self.names: Sequence[Pattern] = list(names)
        self.groups: Sequence[Pattern] = list(groups)

    def why(self, package: AlpmPackage) -> IsIgnored | IsIgnoredGroup | None:
        """Why a package is ignored, None where it is not."""
        for glob, place in self.names:
            if takes(glob, package.name):
                return IsIgnored(name=package.name, place=place)
        if self.groups:
            for group in package.facts.groups:
                for glob, place in self.groups:
                    if takes(glob, group):
                        return IsIgnoredGroup(name=package.name, group=group, place=place)
        return None
