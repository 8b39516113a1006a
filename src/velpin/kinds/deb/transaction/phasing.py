"""Which share of hosts an upgrade is given to first, and whether this one is among them.

A version may carry `Phased-Update-Percentage`. A host draws a number from 0 to 100 for its source
package, version and the host's own machine-id, and leaves the version out of the full upgrade
while the number is above the percentage (observed; the draw is that of the C++ standard library:
`seed_seq`, `minstd_rand`, `uniform_int_distribution`).

Observed rules: docs/how-hosts-choose/deb.md, "The full upgrade".
"""

from __future__ import annotations

_MASK = 0xFFFFFFFF
_MODULUS, _FACTOR = 2_147_483_647, 48_271
_HIGHEST = 100


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
