"""Version order of deb hosts.

The rule (the distribution's policy manual, section "Version", and observed): a version is
`[epoch:]upstream[-revision]`. Epochs compare as numbers, a missing one is 0. Upstream and
revision compare run by run: first the longest run of non-digits, then the longest run of
digits as a number, and so on. In a run of non-digits `~` sorts before everything, even
before the end of the run; the end sorts before letters; letters sort before all else.
A missing revision equals `0`.
"""

from __future__ import annotations

import re
from functools import lru_cache

Key = tuple[object, ...]

_RUNS = re.compile(r"([^0-9]*)([0-9]*)", re.ASCII)


def _char_order(char: str) -> int:
    if char == "~":
        return -1
    return ord(char) if char.isascii() and char.isalpha() else ord(char) + 256


def _part_key(part: str) -> Key:
    key: list[object] = []
    for letters, digits in _RUNS.findall(part) if part else (("", ""),):
        if letters or digits or not key:
            key.append((*map(_char_order, letters), 0))
            key.append(int(digits or "0"))
    key.append((0,))
    return tuple(key)


def split(version: str) -> tuple[str, str, str]:
    """Epoch (empty where not written), upstream and revision (empty where not written)."""
    epoch, colon, rest = version.partition(":")
    if not colon:
        epoch, rest = "", version
    upstream, dash, revision = rest.rpartition("-")
    return (epoch, upstream, revision) if dash else (epoch, rest, "")


@lru_cache(maxsize=65536)
def version_key(version: str) -> Key:
    """A key that sorts versions as the host does; equal keys mean equal versions."""
    epoch, upstream, revision = split(version)
    number = int(epoch) if epoch.isascii() and epoch.isdigit() else 0
    return (number, _part_key(upstream), _part_key(revision))


def compare(left: str, right: str) -> int:
    """-1, 0 or 1 as `left` is older than, equal to or newer than `right`."""
    if left == right:
        return 0
    one, other = version_key(left), version_key(right)
    return (one > other) - (one < other)
