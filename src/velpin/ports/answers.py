"""What each name of a whole host gets: for comparing a host with the same host after a change."""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple, Protocol, Self

if TYPE_CHECKING:
    from collections.abc import Callable, Mapping, Set
    from pathlib import Path

    from velpin.model.shift import Selection
    from velpin.ports.packages import Installed
    from velpin.store.index import IndexLine


class AnswerComparison(NamedTuple):
    """Two hosts' answers for names, from the entries of all indexes, and which can differ:
    no others than those of the changed indexes, and the named ones."""

    before: Callable[[bytes, list[IndexLine]], Selection | None]
    after: Callable[[bytes, list[IndexLine]], Selection | None]
    changed: Set[int]
    """The places of indexes of which every name may be answered otherwise."""
    named: Set[bytes] = frozenset()


class Answers(Protocol):
    """Answers to a request for one plain name. Each is cheap: the needs of the package are not
    followed."""

    def next_alone(self, here: Installed) -> Selection | None:
        """Return what an installed package would become if it were upgraded by itself."""

    def first(self, name: str) -> Selection | None:
        """Return what a plain request for a name gets; None if it is refused."""

    def compare(self, before: Self, places: Mapping[Path, int]) -> AnswerComparison | None:
        """Compare the answers with those before a change; None if all are the same.

        `places` are the numbers that the entries have for the indexes of both hosts."""
