"""Wishes about the order of sources, and whether several of them can all hold."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import NamedTuple

from velpin.wish import Wish


class Order(NamedTuple):
    """One wish about the order of sources, by handles."""

    wish: Wish
    subjects: tuple[str, ...]
    over: tuple[str, ...]
    under: tuple[str, ...]

    def pairs(self) -> Iterator[tuple[str, str]]:
        """Each pair of which the first is to win."""
        yield from ((one, other) for one in self.subjects for other in self.over)
        yield from ((other, one) for one in self.subjects for other in self.under)


def contradicted(new: Order, others: Sequence[Order]) -> Wish | None:
    """A wish with which another cannot go, None where all can be."""
    for above, below in new.pairs():
        way = _way(below, above, others)
        if way:
            return way
        if (below, above) in set(new.pairs()):
            return new.wish
    return None


def _way(start: str, end: str, orders: Sequence[Order]) -> Wish | None:
    """The first wish on a way from a source down to another that it must win over."""
    edges = [(above, below, one.wish) for one in orders for above, below in one.pairs()]
    waiting: list[tuple[str, Wish | None]] = [(start, None)]
    seen = {start}
    while waiting:
        here, first = waiting.pop(0)
        for above, below, wish in edges:
            if above == here and below == end:
                return first or wish
            if above == here and below not in seen:
                seen.add(below)
                waiting.append((below, first or wish))
    return None
