"""Findings that are meant, as Velpin's own settings say.

[[checkup.silence]]
code = "moving-name"
place = "etc/apt/sources.list.d/harbour.list"    a source, or a file, or FILE:LINE; globs too
reason = "this host follows the newest release on purpose"
"""

from __future__ import annotations

import fnmatch
from typing import TYPE_CHECKING, NamedTuple

from velpin.errors import HostFileError, did_you_mean
from velpin.files.own_settings import FILE, table
from velpin.model.findings import FINDINGS
from velpin.store.name_search import nearest

if TYPE_CHECKING:
    from velpin.files.tree import Tree
    from velpin.model.finding import Finding

_KEYS = ("code", "place", "reason")
_MOST = 1000


class Silence(NamedTuple):
    """One finding that is meant."""

    code: str
    place: str
    reason: str

    def means(self, finding: Finding) -> bool:
        """Whether it speaks of a finding."""
        if finding.code != self.code:
            return False
        place = finding.place
        told = [finding.source, str(place) if place else "", place.file if place else ""]
        told += [f"/{text}" for text in told[1:] if text]
        return any(text and fnmatch.fnmatchcase(text, self.place) for text in told) or (
            self.place == "*"
        )


def read_silences(tree: Tree) -> list[Silence]:
    """What the settings silence; HostFileError where they are not understood."""
    if b"checkup" not in (tree.read(FILE) or b""):
        return []
    given = table(tree, "checkup")
    for name in given:
        if name != "silence":
            raise HostFileError(FILE, 0, f"[checkup] has no {name!r}; it has silence")
    listed = given.get("silence", [])
    if not isinstance(listed, list) or len(listed) > _MOST:
        raise HostFileError(FILE, 0, "checkup.silence is not a list of tables: [[checkup.silence]]")
    return [_read(one, number) for number, one in enumerate(listed, 1)]


def _read(given: object, number: int) -> Silence:
    where = f"checkup.silence, the {number}. one"
    if not isinstance(given, dict):
        raise HostFileError(FILE, 0, f"{where}: is no table")
    for name in _KEYS:
        if not (isinstance(given.get(name), str) and given[name].strip()):
            raise HostFileError(FILE, 0, f"{where}: has no {name}")
    for name in given:
        if name not in _KEYS:
            raise HostFileError(
                FILE, 0, f"{where}: has no use for {name!r}; it has code, place, reason"
            )
    if given["code"] not in FINDINGS:
        near = nearest(given["code"], list(FINDINGS))
        hint = did_you_mean(near, "docs/findings.md lists them")
        raise HostFileError(FILE, 0, f"{where}: no finding is called {given['code']!r}", hint)
    return Silence(given["code"], given["place"], given["reason"])
