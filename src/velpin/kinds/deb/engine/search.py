"""A search with backtracking over what is installed, in the host's order of decisions.

A literal is a unit (some build of it is installed) or a build (this one is). A clause says what
its owner brings: one of its alternatives, or none of them. What follows is drawn at once and
breadth first. Where nothing follows, open work is taken from a heap whose entries compare by
group alone, and its first alternative that is still possible is decided. A contradiction takes
back the last decision, which is then ruled out; nothing is scored and nothing is learnt, so the
first complete answer is the answer (observed).

Observed rules: docs/how-hosts-choose/deb-newer.md, "The order of decisions".
"""

from __future__ import annotations

import heapq
from collections.abc import Callable, Iterable, Sequence
from enum import IntEnum
from typing import NamedTuple, Protocol

from velpin.kinds.deb.engine.world import Candidate, Package, Relation
from velpin.model.step import StepKind

Literal = Package | Candidate
_MOST = 20_000
"""Contradictions after which the search gives up."""


class Group(IntEnum):
    """In which order open work is taken."""

    NEEDS = 0
    MET = 1
    """Needs, and recommendations, that the host meets as it is."""
    SIBLINGS = 2
    VERSION = 3
    RECOMMENDS = 4
    KEEP_UPGRADABLE = 5
    KEEP = 6
    SUGGESTS = 7
    KEEP_AUTOMATIC = 8


class Clause:
    """What a literal brings along: one of `ways`, or, where it is `negative`, none of them."""

    __slots__ = ("group", "known", "negative", "optional", "owner", "relation", "ways")

    def __init__(
        self,
        owner: Literal | None,
        ways: Sequence[Literal],
        *,
        group: Group = Group.NEEDS,
        optional: bool = False,
        negative: bool = False,
        relation: Relation | None = None,
        known: bool = True,
    ) -> None:
        self.owner, self.group = owner, group
        self.ways: list[Literal] = list(ways)
        self.optional, self.negative, self.relation = optional, negative, relation
        self.known = known
        """Whether there is anything at all that would be a way, though it may not be chosen: the
        host rules out an owner early only then (observed)."""

    def is_lost(self, held: Sequence[bool | None]) -> bool:
        """Whether none of its ways can be, given the value of each."""
        return self.known and all(value is False for value in held)


class Work:
    """An open clause in the heap; entries compare by group, then by whether there is a choice."""

    __slots__ = ("clause", "key", "level")

    def __init__(self, clause: Clause, level: int, several: bool) -> None:
        self.clause, self.level, self.key = clause, level, (clause.group, several)

    def __lt__(self, other: Work) -> bool:
        return self.key < other.key


class Impossible(Exception):
    """The facts contradict each other."""


class GaveUp(Exception):
    """More contradictions than allowed."""


class _Mark(NamedTuple):
    """Where a decision begins."""

    literal: Literal
    trail: int


Tell = Callable[[StepKind, Literal | None, bool, Clause | None], None]
"""Is called with each step: what became of which literal, and the clause because of which."""


class ClauseSource(Protocol):
    """What literals bring along."""

    def hard(self, literal: Literal) -> Iterable[Clause]:
        """What must hold where a literal does."""

    def all(self, literal: Literal) -> Iterable[Clause]:
        """That, and what is done along with it, in the host's order."""

    def excluding(self, literal: Literal) -> Iterable[Clause]:
        """Clauses made before that exclude a literal which has become known just now."""


class Search:
    """What is decided, what follows from it, and the work that is open."""

    def __init__(self, clauses: ClauseSource, tell: Tell | None = None) -> None:
        self._clauses = clauses
        self._tell = tell
        self.value: dict[Literal, bool] = {}
        self.reason: dict[Literal, Clause | None] = {}
        self.trail: list[Literal] = []
        self._watched: dict[Literal, list[Clause]] = {}
        """For each literal the clauses of others that speak of it."""
        self._own_place: dict[Literal, int] = {}
        """How many of those were known when a literal's own clauses came in."""
        self._head = 0
        self._marks: list[_Mark] = []
        self._heap: list[Work] = []
        self._taken: list[tuple[int, Work]] = []
        self._contradictions = 0

    # -- what is known -------------------------------------------------------------------

    def discover(self, first: Literal) -> None:
        """Take in what must hold where a literal does, and all that this can lead to."""
        if first in self._own_place:
            return
        self._own_place[first] = len(self._watched.setdefault(first, []))
        waiting = [first]
        found: list[Clause] = []
        for literal in waiting:
            for clause in self._clauses.excluding(literal):
                self._watched[literal].append(clause)
                found.append(clause)
            for clause in self._clauses.hard(literal):
                found.append(clause)
                for way in clause.ways:
                    watching = self._watched.setdefault(way, [])
                    if not clause.negative and way not in self._own_place:
                        self._own_place[way] = len(watching)
                        waiting.append(way)
                    watching.append(clause)
        self._rule_out(found)

    def _rule_out(self, clauses: list[Clause]) -> None:
        """Rule out what cannot be as things stand, before anything is decided on it."""
        again = True
        while again:
            again = False
            for clause in reversed(clauses):
                owner = clause.owner
                if owner is None:
                    continue
                held = [self.value.get(way) for way in clause.ways]
                if owner in self.value:
                    if clause.negative and self.value[owner]:
                        for way, value in zip(clause.ways, held, strict=True):
                            if value is None:
                                self._follow(way, False, clause)
                                again = True
                elif (True in held) if clause.negative else clause.is_lost(held):
                    self._follow(owner, False, clause)
                    again = True

    def add(self, clause: Clause) -> None:
        """Open work that nothing brings but the host itself; Impossible where it must be done and
        cannot."""
        for way in clause.ways:
            self.discover(way)
            self._watched[way].append(clause)
        if not clause.optional and not self._lost_way(clause):
            raise Impossible
        self._push(clause)

    # -- deciding ------------------------------------------------------------------------

    def fact(self, literal: Literal, value: bool) -> None:
        """State what holds whatever else does; Impossible where the opposite does."""
        self.discover(literal)
        if self._tell:
            self._tell("decided", literal, value, None)
        if not self._put(literal, value, None):
            raise Impossible

    def settle(self) -> None:
        """Draw what follows from the facts; Impossible where they contradict each other."""
        broken = self._propagate()
        if broken is not None:
            if self._tell:
                self._tell("conflict", None, False, broken)
            raise Impossible

    def assume(self, literal: Literal) -> None:
        """Decide that a literal holds if that is still open; Impossible, GaveUp."""
        if literal not in self.value:
            self._decide(literal, None)

    def work(self) -> None:
        """Take all open work in turn; Impossible, GaveUp."""
        while self._heap:
            work = heapq.heappop(self._heap)
            self._taken.append((len(self._marks), work))
            clause, value = work.clause, self.value
            if any(value.get(way) for way in clause.ways):
                continue
            way = next((way for way in clause.ways if way not in value), None)
            if way is not None:
                self._decide(way, clause)
            elif not clause.optional:
                self._back(clause)

    def _decide(self, literal: Literal, clause: Clause | None) -> None:
        self._marks.append(_Mark(literal, len(self.trail)))
        if self._tell:
            self._tell("decided", literal, True, clause)
        self._put(literal, True, clause)
        broken = self._propagate()
        if broken is not None:
            self._back(broken)

    def _back(self, broken: Clause | None) -> None:
        """Take back the last decision and rule it out, until no contradiction is left."""
        while broken is not None:
            if self._tell:
                self._tell("conflict", None, False, broken)
            self._contradictions += 1
            if self._contradictions > _MOST:
                raise GaveUp
            if not self._marks:
                raise Impossible
            mark = self._marks.pop()
            for literal in self.trail[mark.trail :]:
                del self.value[literal], self.reason[literal]
            del self.trail[mark.trail :]
            self._head = len(self.trail)
            self._restore_work()
            if self._tell:
                self._tell("back to", mark.literal, False, None)
            self._put(mark.literal, False, broken)
            broken = self._propagate()

    def _restore_work(self) -> None:
        """Work pushed since the decision leaves the heap; work taken since then comes back."""
        level = len(self._marks)
        if any(work.level > level for work in self._heap):
            self._heap = [work for work in self._heap if work.level <= level]
            heapq.heapify(self._heap)
        while self._taken and self._taken[-1][0] >= level:
            _, work = self._taken.pop()
            if work.level <= level:
                heapq.heappush(self._heap, work)

    # -- what follows --------------------------------------------------------------------

    def _put(self, literal: Literal, value: bool, reason: Clause | None) -> bool:
        found = self.value.get(literal)
        if found is not None:
            return found is value
        self.value[literal] = value
        self.reason[literal] = reason
        self.trail.append(literal)
        return True

    def _follow(self, literal: Literal, value: bool, reason: Clause) -> bool:
        if self._tell and literal not in self.value:
            self._tell("follows", literal, value, reason)
        return self._put(literal, value, reason)

    def _push(self, clause: Clause) -> None:
        possible = self._possible(clause)
        if possible:
            heapq.heappush(self._heap, Work(clause, len(self._marks), len(possible) > 1))

    def _possible(self, clause: Clause) -> list[Literal]:
        """Ways that are not ruled out."""
        return [way for way in clause.ways if self.value.get(way) is not False]

    def _propagate(self) -> Clause | None:
        """Draw what follows; the clause that cannot hold where there is one."""
        while self._head < len(self.trail):
            literal = self.trail[self._head]
            self._head += 1
            if self.value[literal]:
                broken = self._came(literal)
            else:
                watched = self._watched.get(literal, ())
                broken = next((clause for clause in watched if not self._lost_way(clause)), None)
            if broken is not None:
                return broken
        return None

    def _came(self, literal: Literal) -> Clause | None:
        """What follows from a literal that holds now; the clause that cannot hold."""
        self.discover(literal)
        watched, place = self._watched[literal], self._own_place[literal]
        for clause in watched[:place]:
            if not self._bars_owner(clause):
                return clause
        for clause in self._clauses.all(literal):
            if not self._brought(clause):
                return clause
        for clause in watched[place:]:
            if not self._bars_owner(clause):
                return clause
        return None

    def _bars_owner(self, clause: Clause) -> bool:
        """What another excludes holds now, so that other cannot."""
        owner = clause.owner
        return not clause.negative or owner is None or self._follow(owner, False, clause)

    def _brought(self, clause: Clause) -> bool:
        """The owner of a clause holds now."""
        if clause.negative:
            return all(self._follow(way, False, clause) for way in clause.ways)
        if clause.optional:
            for way in clause.ways:
                self.discover(way)
            self._push(clause)
            return True
        possible = self._possible(clause)
        if len(possible) == 1:
            return self._follow(possible[0], True, clause)
        if not possible:
            return False
        heapq.heappush(self._heap, Work(clause, len(self._marks), several=True))
        return True

    def _lost_way(self, clause: Clause) -> bool:
        """One of a clause's ways cannot be any more."""
        owner = clause.owner
        stands = self.value.get(owner) if owner is not None else True
        if clause.negative or clause.optional or stands is False:
            return True
        possible = self._possible(clause)
        if not possible:
            return owner is not None and self._follow(owner, False, clause)
        if len(possible) == 1 and stands:
            return self._follow(possible[0], True, clause)
        return True
