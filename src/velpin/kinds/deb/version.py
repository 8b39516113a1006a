"""Version order of deb hosts.

The rule (the distribution's policy manual, component "Version", and observed): a version is
`[epoch:]upstream[-revision]`. Epochs compare as numbers, a missing one is 0. Upstream and
revision compare run by run: first the longest run of non-digits, then the longest run of
digits as a number, and so on. In a run of non-digits `~` sorts before everything, even
before the end of the run; the end sorts before letters; letters sort before all else.
A missing revision equals `0`.

Observed rules: docs/how-hosts-choose/deb.md, "Names and versions".
"""

from __future__ import annotations

import re
from functools import lru_cache

from velpin.files.text import whole_number

VersionKey = tuple[int, str, str]
"""Epoch, and upstream and revision so written that they compare as texts."""

_RUNS = re.compile(r"([^0-9]*)([0-9]*)")
_END = "\x02"
"""Stands for the end of a run of non-digits."""
_EPOCH_DIGITS = 4000
_LENGTH = 16
"""Added to the length of a number, which stands before its digits."""


class _Ranks(dict[int, int]):
    """Characters as they rank in a run of non-digits: `~`, the end, letters, all else."""

    def __missing__(self, char: int) -> int:
        plain = char < 128 and chr(char).isalnum()
        rank = 1 if char == ord("~") else char if plain else char + 256
        return self.setdefault(char, rank)


_RANKS = _Ranks()


def _part_key(part: str) -> str:
    key = ""
    for letters, digits in _RUNS.findall(part.translate(_RANKS)):
        if letters or digits or not key:
            number = digits.lstrip("0")
            key += f"{letters}{_END}{chr(_LENGTH + len(number))}{number}"
    return key + _END


def split(version: str) -> tuple[str, str, str]:
    """Epoch (empty where not written), upstream and revision (empty where not written)."""
    epoch, colon, rest = version.partition(":")
    if not colon:
        epoch, rest = "", version
    upstream, dash, revision = rest.rpartition("-")
    return (epoch, upstream, revision) if dash else (epoch, rest, "")


@lru_cache(maxsize=65536)
def version_key(version: str) -> VersionKey:
    """A key that sorts versions as the host does; equal keys mean equal versions."""
    epoch, upstream, revision = split(version)
    return (whole_number(epoch, _EPOCH_DIGITS) or 0, _part_key(upstream), _part_key(revision))


def compare(left: str, right: str) -> int:
    """-1, 0 or 1 as `left` is older than, equal to or newer than `right`."""
    if left == right:
        return 0
    one, other = version_key(left), version_key(right)
    return (one > other) - (one < other)


def is_newer_text(one: bytes, other: bytes) -> bool:
    """Return whether a version is newer than another, both as they stand in an index: what
    `compare` says, and faster if one only has something behind the other, as many do."""
    for longer, shorter in ((one, other), (other, one)):
        if longer.startswith(shorter):
            rest = longer[len(shorter) :]
            if not rest:
                return False
            if not (rest[:1].isdigit() or b":" in rest or b"-" in rest):
                return (longer is one) is not rest.startswith(b"~")
            break
    return _newness(one) > _newness(other)


@lru_cache(maxsize=512)
def _newness(version: bytes) -> VersionKey:
    """The key of a version; neighbours by name are often of one, and two hosts ask in turn."""
    return version_key.__wrapped__(version.decode())
