"""Names like one that was not found."""

from __future__ import annotations

from collections.abc import Iterable

_LEAST = 72
"""Likeness in percent below which a name is not worth showing."""


def nearest(name: str, names: Iterable[str], most: int = 5) -> list[str]:
    """The names most like `name`, best first; letter case is ignored."""
    from rapidfuzz import fuzz, process

    found = process.extract(
        name.lower(), list(names), scorer=fuzz.ratio, score_cutoff=_LEAST, limit=most
    )
    return [str(one[0]) for one in sorted(found, key=lambda one: (-one[1], one[0]))]
