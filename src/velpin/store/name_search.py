"""Names like one that was not found, and how well a search met a name."""

from __future__ import annotations

import re
from collections.abc import Iterable
from heapq import nsmallest
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from velpin.store.index import Index

_LEAST = 72
"""Likeness in percent below which a name is not worth showing."""


def nearest(name: str, names: Iterable[str], most: int = 5) -> list[str]:
    """The names most like `name`, best first; letter case is ignored."""
    from rapidfuzz import fuzz, process

    found = process.extract(
        name.lower(), list(names), scorer=fuzz.ratio, score_cutoff=_LEAST, limit=most
    )
    return [str(scored[0]) for scored in sorted(found, key=lambda scored: (-scored[1], scored[0]))]


def named_near(
    name: str, known: Iterable[str], off: Iterable[tuple[str, Index]]
) -> tuple[str, ...]:
    """Names like one that is not known; those that only sources switched off have say so."""
    names = set(known)
    only_off: dict[str, str] = {}
    for handle, index in off:
        for name_off in index.names():
            only_off.setdefault(name_off, handle)
    found = nearest(name, names.union(only_off))
    return tuple(near if near in names else f"{near} ({only_off[near]}, off)" for near in found)


def beginning_with(indexes: Iterable[Index], start: str, most: int) -> dict[str, str]:
    """Names that begin with a text, each with a summary, in byte order, at most so many."""
    found: dict[str, str] = {}
    for index in indexes:
        for name, summary in index.beginning_with(start, most):
            found[name] = found.get(name) or summary
    return {name: found[name] for name in sorted(found)[:most]}


def search(indexes: Iterable[Index], text: str, most: int) -> tuple[list[tuple[str, str]], int]:
    """Names and summaries that hold every word of a text, best first, and how many there are."""
    words = [word for word in text.lower().split() if word]
    met: dict[str, str] = {}
    for index in indexes:
        for name, summary in index.speaking_of(words) if words else ():
            met.setdefault(name, summary)
    worth = HitRank(words)
    ranked = nsmallest(most, met, key=lambda name: (worth(name, met[name]), len(name), name))
    return [(name, met[name]) for name in ranked], len(met)


class HitRank:
    """Ranks what a search met: 0 is best, the name itself; then its beginning, whole words of
    it, parts of it, whole words of the summary, parts of either."""

    def __init__(self, words: list[str]) -> None:
        self._words = words
        self._whole = "-".join(words)
        self._alone = [re.compile(rf"\b{re.escape(word)}\b") for word in words]

    def __call__(self, name: str, summary: str) -> int:
        """The rank of a name with its summary."""
        for word in self._words:
            if word not in name:
                return 4 if self._in(summary.lower()) else 5
        if name.startswith(self._whole):
            return int(name != self._whole)
        return 2 if self._in(name) else 3

    def _in(self, text: str) -> bool:
        for pattern in self._alone:  # noqa: SIM110 - a measured hot loop
            if pattern.search(text) is None:
                return False
        return True
