"""The order of versions on rpm hosts, written `epoch:version-release`.

Source of the rules: the package format's documentation of versions (segments of digits and
of letters in turn, `~` lower than nothing, `^` higher than nothing but lower than any more),
and observed.

Observed rules: docs/how-hosts-choose/rpm.md.
"""

from __future__ import annotations

import re
from functools import cmp_to_key, lru_cache
from typing import NamedTuple

from velpin.files.text import whole_number

_SEGMENT = re.compile(r"~|\^|[0-9]+|[A-Za-z]+")
_CARET, _END, _TILDE, _LETTERS, _DIGITS = "^", "", "~", "a", "0"


class Evr(NamedTuple):
    """A version taken apart; `epoch` is None where none is written, `release` likewise."""

    epoch: int | None
    version: str
    release: str | None

    def __str__(self) -> str:
        epoch = f"{self.epoch}:" if self.epoch else ""
        return f"{epoch}{self.version}" + (f"-{self.release}" if self.release is not None else "")


_EPOCH_DIGITS = 4000
"""Epochs are compared as numbers of any length (observed); beyond this they are none here."""


@lru_cache(maxsize=65536)
def parse(text: str) -> Evr:
    """Take a version apart; what stands before the first colon is an epoch if it is a number."""
    head, colon, rest = text.partition(":")
    epoch: int | None = None
    if colon and (not head or whole_number(head, _EPOCH_DIGITS) is not None):
        epoch, text = whole_number(head, _EPOCH_DIGITS) or 0, rest
    version, dash, release = text.rpartition("-")
    if not dash:
        return Evr(epoch, text, None)
    return Evr(epoch, version, release)


@lru_cache(maxsize=65536)
def _segments(text: str) -> tuple[str, ...]:
    return tuple(_SEGMENT.findall(text))


def compare_part(one: str, other: str) -> int:
    """-1, 0 or 1 for two versions (or two releases) without epoch and dash."""
    if one == other:
        return 0
    left, right = _segments(one), _segments(other)
    for at in range(max(len(left), len(right))):
        a = left[at] if at < len(left) else _END
        b = right[at] if at < len(right) else _END
        if a != b:
            order = _compare_segment(a, b)
            if order:
                return order
    return 0


def _compare_segment(a: str, b: str) -> int:
    if _TILDE in (a, b):
        return -1 if a == _TILDE else 1
    if _CARET in (a, b):
        # a caret is more than an end and less than anything else
        if a == _CARET:
            return 1 if b == _END else -1
        return -1 if a == _END else 1
    if _END in (a, b):
        return -1 if a == _END else 1
    if a[0].isdigit() != b[0].isdigit():
        return 1 if a[0].isdigit() else -1
    if a[0].isdigit():
        a, b = a.lstrip("0"), b.lstrip("0")
        if len(a) != len(b):
            return -1 if len(a) < len(b) else 1
    return (a > b) - (a < b)


@lru_cache(maxsize=262144)
def compare(one: str, other: str) -> int:
    """-1, 0 or 1 for two full versions; a missing epoch is 0, a missing release the lowest."""
    if one == other:
        return 0
    a, b = parse(one), parse(other)
    if (a.epoch or 0) != (b.epoch or 0):
        return -1 if (a.epoch or 0) < (b.epoch or 0) else 1
    order = compare_part(a.version, b.version)
    if order:
        return order
    if a.release is None or b.release is None:
        return (a.release is not None) - (b.release is not None)
    return compare_part(a.release, b.release)


version_key = cmp_to_key(compare)
"""A key that sorts full versions upwards."""
