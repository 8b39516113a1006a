"""Keys that the installer of an rpm host asks about: those of a source that the host lacks.

Observed rules: docs/how-hosts-choose/rpm.md, "What the installer asks".
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import TYPE_CHECKING, NamedTuple

from velpin.model.safe_text import bare_address

if TYPE_CHECKING:
    from velpin.kinds.rpm.source import RpmSource
    from velpin.kinds.rpm.state import RpmState
    from velpin.model.forecast import Forecast


class LackedKey(NamedTuple):
    """A key of a source that the installer may have to ask about; one at an address that was never
    fetched has no fingerprint."""

    place: str
    fingerprint: str = ""
    owner: str = ""


class HostKeys:
    """The keys that a host has taken: its record names each by the end of its fingerprint, or by
    all of it."""

    def __init__(self, state: RpmState) -> None:
        self._state = state
        index = state.recorded.index
        self._ends = tuple(filter(None, index.marked if index else ()))

    def has(self, fingerprint: str) -> bool:
        """Return whether the host has taken a key."""
        return fingerprint.lower().endswith(self._ends)

    def lacked(self, source: RpmSource, signers: Sequence[str]) -> list[LackedKey]:
        """Return the keys that a source names and the host lacks, in the order in which they are
        named; none if the host has the key of a signer that was verified, or one that the source
        names: then the installer need not ask, as far as can be known before it fetches."""
        if signers and all(self.has(signer) for signer in signers):
            return []
        found = self.named(source)
        if any(self.has(key.fingerprint) for key in found if key.fingerprint):
            return []
        return found

    def named(self, source: RpmSource) -> list[LackedKey]:
        """Return the keys that a source names: those in files, then those at addresses, each in the
        order in which they are named."""
        from velpin.kinds.rpm.trust import key_addresses, keys_in_files

        found = [
            LackedKey(place, key.fingerprint, key.owner)
            for place, key in keys_in_files(self._state, source)
        ]
        fetched = self._state.indexes.copies[source.handle].fetched
        if fetched:
            return found + [LackedKey(*each) for each in fetched.offered_keys]
        return found + [LackedKey(bare_address(each)) for each in key_addresses(source)]


def sources_of(state: RpmState, found: Forecast) -> Iterator[RpmSource]:
    """Yield the sources from which a transaction brings something, each once."""
    by_handle: Mapping[str, RpmSource] = state.configuration.by_handle
    coming = (change.source or "" for change in found.changes if change.new is not None)
    for handle in dict.fromkeys(coming):
        if handle in by_handle:
            yield by_handle[handle]
