"""Keys that were seen revoked. A revocation is for ever: a copy of the key without it, wherever it
comes from, is an old one or one that somebody cut it out of.

    var/lib/velpin/revoked      a line for each: fingerprint, a blank, where it was seen
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import TYPE_CHECKING

from velpin.errors import CannotWrite, HostFileError
from velpin.files import disk

if TYPE_CHECKING:
    from velpin.files.tree import Tree

FOLDER, NAME = "var/lib/velpin", "revoked"
_LINE = re.compile(r"([0-9A-F]{40,64}) (\S.*)\Z")
_MOST = 10_000
_LARGEST = 4 << 20
_PRIVATE = 0o700


class Revocations:
    """Fingerprints of revoked keys, and where each was seen."""

    def __init__(self, remembered: Mapping[str, str]) -> None:
        self._remembered = dict(remembered)
        self._seen = dict(remembered)

    @classmethod
    def of(cls, tree: Tree) -> Revocations:
        """Those that Velpin remembers of a host; none where its own folder is not believed."""
        found: dict[str, str] = {}
        folder = tree.path(FOLDER)
        if disk.why_doubted(folder):
            return cls(found)
        try:
            data = disk.read_file(folder, NAME, _LARGEST)
        except (OSError, HostFileError):
            return cls(found)
        for line in data.decode("utf-8", "replace").splitlines()[:_MOST]:
            match = _LINE.match(line)
            if match:
                found[match.group(1)] = match.group(2)
        return cls(found)

    def note(self, fingerprint: str, where: str) -> None:
        """Take down that a key was seen revoked somewhere."""
        self._seen.setdefault(fingerprint, where)

    def where(self, fingerprint: str) -> str:
        """Where a key was seen revoked first; empty for one that never was."""
        return self._seen.get(fingerprint, "")

    def remember(self, tree: Tree) -> None:
        """Write down those that are new; without the right to, nothing is."""
        if self._seen.keys() <= self._remembered.keys():
            return
        lines = [f"{key} {' '.join(where.split())}\n" for key, where in self._seen.items()]
        folder = tree.path(FOLDER)
        try:
            disk.make_own_folder(folder, _PRIVATE)
            disk.write_file(folder, NAME, "".join(lines[:_MOST]).encode(), mode=disk.FILES)
        except (CannotWrite, OSError):
            return
