"""Which share of hosts an upgrade is given to first, and whether this one is among them.

A version may carry `Phased-Update-Percentage`. A host draws a number from 0 to 100 for its source
package, version and the host's own machine-id, and leaves the version out of the full upgrade
while the number is above the percentage (observed; the draw is that of the C++ standard library:
`seed_seq`, `minstd_rand`, `uniform_int_distribution`).

Observed rules: docs/how-hosts-choose/deb.md, "Phased updates".
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from velpin.kinds.deb.version import compare

if TYPE_CHECKING:
    from collections.abc import Callable

    from velpin.kinds.deb.choice import DebPackage, DebVersion, IndexEntry
    from velpin.kinds.deb.configuration import DebConfiguration
    from velpin.kinds.deb.relations import DebFacts

_MASK = 0xFFFFFFFF
_MODULUS, _FACTOR = 2_147_483_647, 48_271
_HIGHEST = 100


_ALL = 100
_SECURITY = "-security"


class Phasing:
    """Which versions are given to other hosts first."""

    def __init__(
        self, configuration: DebConfiguration, facts_of: Callable[[IndexEntry], DebFacts]
    ) -> None:
        self._configuration, self._facts_of = configuration, facts_of
        self._always = self._said("Always")
        self._never = self._said("Never")
        self.decides_priority = configuration.conf.switch("APT::Get::Phase-Policy", default=False)
        """Whether a version that this host is not given yet has priority 1 for everything."""

    def _said(self, word: str) -> bool:
        return any(
            self._configuration.conf.switch(
                f"{program}::{word}-Include-Phased-Updates", default=False
            )
            for program in ("APT::Get", "Update-Manager")
        )

    def share(self, version: DebVersion) -> int:
        """The share of hosts that a version is meant for, in percent: the lowest that is said."""
        return min((self._facts_of(held).phased for held in version.offered), default=_ALL)

    def leaves_out(self, version: DebVersion) -> bool:
        """Whether this host is not among those that a version is meant for."""
        share = self.share(version)
        if share >= _ALL or self._always:
            return False
        if self._never:
            return True
        machine = self._configuration.machine_id
        if not machine:
            return False
        facts = self._facts_of(version.offered[0])
        name = facts.source or version.offered[0].row.name
        return draw(f"{name}-{facts.source_version or version.text}-{machine}") > share

    def holds_back(self, package: DebPackage, version: DebVersion) -> bool:
        """Whether the full upgrade leaves a version out: not where a version between it and
        the installed one is a matter of security."""
        return self.leaves_out(version) and not any(
            held.origin.site.archive and held.origin.site.archive.endswith(_SECURITY)
            for other in package.versions
            if compare(other.text, version.text) < 0 and self._is_newer(package, other)
            for held in other.offered
        )

    def _is_newer(self, package: DebPackage, version: DebVersion) -> bool:
        installed = package.installed
        return installed is not None and compare(version.text, installed.text) > 0


def draw(text: str) -> int:
    """The number from 0 to 100 that is drawn for a text."""
    state = _seeds(text.encode("utf-8", "surrogateescape"))[3] % _MODULUS or 1
    scale = (_MODULUS - 2) // (_HIGHEST + 1)
    while True:
        state = state * _FACTOR % _MODULUS
        if state - 1 < scale * (_HIGHEST + 1):
            return (state - 1) // scale


def _seeds(values: bytes) -> list[int]:
    """Four numbers from a sequence (C++ standard, [rand.util.seedseq])."""
    count, shift = 4, 1
    found = [0x8B8B8B8B] * count
    length = len(values)
    rounds = max(length + 1, count)
    for k in range(rounds):
        one, two = (k + shift) % count, (k + shift + 1) % count
        mixed = _fold(found[k % count] ^ found[one] ^ found[(k - 1) % count])
        first = 1_664_525 * mixed & _MASK
        more = length if k == 0 else k % count + (values[k - 1] if k <= length else 0)
        second = (first + more) & _MASK
        found[one] = (found[one] + first) & _MASK
        found[two] = (found[two] + second) & _MASK
        found[k % count] = second
    for k in range(rounds, rounds + count):
        one, two = (k + shift) % count, (k + shift + 1) % count
        mixed = _fold((found[k % count] + found[one] + found[(k - 1) % count]) & _MASK)
        first = 1_566_083_941 * mixed & _MASK
        second = (first - k % count) & _MASK
        found[one] ^= first
        found[two] ^= second
        found[k % count] = second
    return found


def _fold(value: int) -> int:
    return value ^ (value >> 27)
