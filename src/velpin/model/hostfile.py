"""What a file that describes a host says, and how a host stands to it, as values."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType
from typing import Literal, NamedTuple

from velpin.model.reason import Place, Reason
from velpin.model.rule import Rule


class SourceDescription(NamedTuple):
    """One source as it is written, whatever the kind of host."""

    handle: str
    address: str
    suite: str = ""
    components: tuple[str, ...] = ()
    archs: tuple[str, ...] = ()
    settings: tuple[str, ...] = ()
    """What else its entry says, as `KEY = VALUE`, in the host's own words."""

    @property
    def essence(self) -> SourceDescription:
        """What two descriptions of one source have alike."""
        return self._replace(settings=tuple(sorted(self.settings)))


class Condition(NamedTuple):
    """Which hosts something is for; empty means any."""

    kinds: tuple[str, ...] = ()
    hosts: tuple[str, ...] = ()
    releases: tuple[str, ...] = ()
    archs: tuple[str, ...] = ()


KeysIn = Literal["named", "beside", "inside"]
"""Where the keys of a written host go: keyrings that a package of the distribution brings are named
and the other keys stand in the file, or lie in files beside it; or all keys stand in the file."""


class ExportedHost(NamedTuple):
    """A host as a file, and the keys that lie beside that."""

    text: str
    key_files: Mapping[str, bytes] = MappingProxyType({})
    """By their names from the file's folder on."""


class Keyring(NamedTuple):
    """A file of keys that a package of the host brings."""

    package: str
    file: str
    """From the host's root on, with no slash before it."""


class WantedSource(NamedTuple):
    """A source that a host is to have."""

    name: str
    when: Condition
    place: Place
    catalog: str = ""
    """Its name in a catalog; else it is described here."""
    channel: str = ""
    mirror: str = ""
    described: SourceDescription | None = None
    key: bytes = b""
    keyring: Keyring | None = None
    """What holds its keys in place of `key`."""
    fingerprints: tuple[str, ...] = ()
    """Of its keys; of a keyring, those that must be among its keys."""
    on: bool = True
    only: tuple[str, ...] = ()


class WantedKey(NamedTuple):
    """A key that counts for all sources of a host."""

    name: str
    when: Condition
    place: Place
    key: bytes
    keyring: Keyring | None = None
    """What brings the key in place of `key`."""
    fingerprints: tuple[str, ...] = ()


class WantedRule(NamedTuple):
    """A rule that is to be in force."""

    rule: Rule
    when: Condition
    place: Place


class Expectation(NamedTuple):
    """What must be true of the forecast; which of the fields are set tells what is expected."""

    when: Condition
    place: Place
    package: str = ""
    source: str = ""
    """With a package: where it comes from. Alone: that gives nothing but `only`."""
    version: str = ""
    """A glob, or a bound: `>=2.0`."""
    absent: bool = False
    at_most: str = ""
    only: tuple[str, ...] = ()
    no_removals: bool = False
    days: int = 0
    """Indexes are not older than so many."""


class HostFile(NamedTuple):
    """All that a file says of a host."""

    file: str
    sources: tuple[WantedSource, ...] = ()
    keys: tuple[WantedKey, ...] = ()
    rules: tuple[WantedRule, ...] = ()
    expectations: tuple[Expectation, ...] = ()


class ExpectationResult(NamedTuple):
    """Whether an expectation is met, and by what it is not."""

    expected: str
    place: Place
    met: bool
    found: str
    """What is so instead; empty where it is met."""
    reasons: tuple[Reason, ...] = ()


ItemKind = Literal["source", "key", "rule"]
ItemState = Literal["same", "added", "changed", "removed"]


class ConformItem(NamedTuple):
    """One thing that a file asks for, and what making it so would change."""

    kind: ItemKind
    name: str
    state: ItemState
    what: str
    """What changes of it, in a few words: key, switched off, written anew; else empty."""
    place: Place | None = None
