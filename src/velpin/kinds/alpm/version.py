"""The order of versions on alpm hosts, written `epoch:version-release`.

Segments of digits and of letters in turn; whatever stands between them only parts them, but
more of it counts as newer. A release decides only where both have one. Source: observed.

Observed rules: docs/how-hosts-choose/alpm.md, "Bounds".
"""

from __future__ import annotations

import re
from functools import cmp_to_key, lru_cache

_SEGMENT = re.compile(r"[0-9]+|[A-Za-z]+")


@lru_cache(maxsize=65536)
def compare(one: str, other: str) -> int:
    """-1, 0 or 1 for two full versions; a missing epoch is 0."""
    if one == other:
        return 0
    left, right = _parts(one), _parts(other)
    order = _compare_part(left[0], right[0]) or _compare_part(left[1], right[1])
    if order or left[2] is None or right[2] is None:
        return order
    return _compare_part(left[2], right[2])


def _parts(text: str) -> tuple[str, str, str | None]:
    """Epoch, version, release (None where there is none)."""
    digits = re.match(r"[0-9]*", text)
    end = digits.end() if digits else 0
    epoch = "0"
    if text[end : end + 1] == ":":
        epoch, text = text[:end] or "0", text[end + 1 :]
    version, dash, release = text.rpartition("-")
    return (epoch, version, release) if dash else (epoch, text, None)


def _compare_part(one: str, other: str) -> int:
    if one == other:
        return 0
    at = to = 0
    while at < len(one) and to < len(other):
        start, begin = _skipped(one, at), _skipped(other, to)
        if start == len(one) or begin == len(other):
            return _compare_rest(one[start:], other[begin:])
        if start - at != begin - to:
            return -1 if start - at < begin - to else 1
        left, right = _segment(one, start), _segment(other, begin)
        order = _compare_segment(left, right)
        if order:
            return order
        at, to = start + len(left), begin + len(right)
    return _compare_rest(one[at:], other[to:])


def _skipped(text: str, at: int) -> int:
    """Where the next segment begins."""
    found = _SEGMENT.search(text, at)
    return found.start() if found else len(text)


def _segment(text: str, at: int) -> str:
    found = _SEGMENT.match(text, at)
    return found.group() if found else ""


def _compare_segment(a: str, b: str) -> int:
    if a.isdigit() != b.isdigit():
        return 1 if a.isdigit() else -1
    if a.isdigit():
        a, b = a.lstrip("0"), b.lstrip("0")
        if len(a) != len(b):
            return -1 if len(a) < len(b) else 1
    return (a > b) - (a < b)


def _compare_rest(one: str, other: str) -> int:
    """What is left where one of them is through: letters are older than nothing."""
    if not (one or other):
        return 0
    if (not one and not other[:1].isalpha()) or one[:1].isalpha():
        return -1
    return 1


version_key = cmp_to_key(compare)
"""A key that sorts full versions upwards."""
