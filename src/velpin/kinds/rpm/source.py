"""One source of an rpm host, as its section says.

Observed rules: docs/how-hosts-choose/rpm.md, "What is weighed, in turn".
"""

from __future__ import annotations

from dataclasses import dataclass

from velpin.kinds.rpm.ini import IniSection
from velpin.model.source import Source

UNSAID = 99
"""The priority of a source whose section says none (observed)."""


@dataclass(frozen=True, slots=True)
class RpmSource(Source):
    """A section of a source file, with what decides on it."""

    section: IniSection
    file: str
    priority: int = UNSAID
    cost: int = 1000
    urls: tuple[str, ...] = ()
    """Base addresses, variables put in; the first that answers counts."""
    mirrors: str = ""
    """Address of a list of mirrors, plain or as a metalink."""
    excludes: tuple[str, ...] = ()
    includes: tuple[str, ...] = ()
    hotfixes: bool = False
    optional: bool = False
    """Whether the installer goes on where it cannot be reached."""
    signed_packages: bool = True
    signed_index: bool = False
    keys: tuple[str, ...] = ()
    """Addresses or files of the keys its section names."""
    unread: str = ""
    """Its type, where lists of that type are not read here."""
    elsewhere: tuple[tuple[str, str], ...] = ()
    """Keys that another file overrides, and that file."""

    def file_of(self, key: str) -> str:
        """The file in which the value of a key stands that counts, or would."""
        return dict(self.elsewhere).get(key, self.file)
