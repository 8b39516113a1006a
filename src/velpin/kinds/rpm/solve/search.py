"""A complete search for a set of packages that keeps every rule, in a given order of rules.

A rule is a clause: some literals of which one must hold; a literal is the number of a
package (it is on the host) or that number negated (it is not). What follows from what is
decided is drawn at once; where nothing follows, the caller decides what to try next. A
contradiction teaches a new rule and takes back just the decisions that led to it, so the
search ends: with a set that keeps all rules, with a proof that there is none, or, after a
bounded number of contradictions, by saying that it gave up.

Rules come in when they first matter: those of a package when it is first taken.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from typing import Any

from velpin.model.step import StepKind


class Clause:
    """One rule; `why` is what the caller keeps with it."""

    __slots__ = ("antecedents", "literals", "off", "why")

    def __init__(
        self, literals: Sequence[int], why: Any = None, antecedents: tuple[Clause, ...] = ()
    ) -> None:
        self.literals = list(literals)
        self.why = why
        self.antecedents = antecedents
        """Of a learnt rule: the rules it follows from."""
        self.off = False

    def __repr__(self) -> str:
        return f"Clause({self.literals}, {self.why})"


class Unsatisfiable(Exception):
    """There is no set that keeps all rules; `clauses` are those of the proof."""

    def __init__(self, clauses: list[Clause]) -> None:
        super().__init__("no set keeps all rules")
        self.clauses = clauses


class LimitReached(Exception):
    """More contradictions than allowed."""


Tell = Callable[[StepKind, int, Clause | None], None]
"""Is called with each step: what became of which literal (0 for a conflict), and the rule because
of which."""


class Search:
    """What is decided, what follows, and the rules so far."""

    def __init__(
        self, expand: Callable[[int], Iterable[Clause]], most: int = 20_000,
        tell: Tell | None = None,
    ) -> None:  # fmt: skip
        self._expand = expand
        self._tell = tell
        self._most = most
        self._watched: dict[int, list[Clause]] = {}
        self._value: dict[int, bool] = {}
        self._level: dict[int, int] = {}
        self._reason: dict[int, Clause | None] = {}
        self._expanded: set[int] = set()
        self._trail: list[int] = []
        self._marks: list[int] = []
        self._head = 0
        self._facts: list[Clause] = []
        self._conflict: Clause | None = None
        self.clauses: list[Clause] = []
        self.contradictions = 0

    # -- what holds ----------------------------------------------------------------------

    def value(self, package: int) -> bool | None:
        """Whether a package is taken, is ruled out, or is open."""
        return self._value.get(package)

    def holds(self, literal: int) -> bool | None:
        """The same for a literal."""
        value = self._value.get(abs(literal))
        return value if value is None or literal > 0 else not value

    @property
    def trail(self) -> Sequence[int]:
        """Literals that hold, in the order in which they came to."""
        return self._trail

    @property
    def level(self) -> int:
        """How many decisions stand."""
        return len(self._marks)

    def level_of(self, package: int) -> int:
        """With which decision a package's value came."""
        return self._level[package]

    def reason(self, package: int) -> Clause | None:
        """The rule from which a package's value follows; None where it was decided."""
        return self._reason.get(package)

    # -- rules ---------------------------------------------------------------------------

    def add(self, clause: Clause) -> None:
        """Take in a rule; what follows is drawn with the next decision or `propagate`."""
        self.clauses.append(clause)
        self._attach(clause)

    def _attach(self, clause: Clause) -> None:
        literals = clause.literals
        literals.sort(key=self._worth, reverse=True)
        for literal in literals[:2]:
            self._watched.setdefault(-literal, []).append(clause)
        if len(literals) == 1:
            self._facts.append(clause)
        first = self.holds(literals[0]) if literals else False
        if first is False:
            self._conflict = self._conflict or clause
        elif first is None and (len(literals) == 1 or self.holds(literals[1]) is False):
            self._put(literals[0], clause)

    def _worth(self, literal: int) -> int:
        """Which literals to watch: true, open, then those made false last."""
        value = self.holds(literal)
        if value is None:
            return 1 << 30
        return (1 << 31) if value else self._level[abs(literal)]

    # -- deciding ------------------------------------------------------------------------

    def decide(self, literal: int) -> bool:
        """Decide an open literal and draw what follows; False where decisions were taken back.

        Raises Unsatisfiable, LimitReached.
        """
        self._marks.append(len(self._trail))
        level = self.level
        self._put(literal, None)
        return self.propagate() and self.level == level

    def propagate(self) -> bool:
        """Draw what follows; False where decisions were taken back.

        Raises Unsatisfiable, LimitReached.
        """
        untouched = True
        while (conflict := self._propagate()) is not None:
            untouched = False
            if self._tell:
                self._tell("conflict", 0, conflict)
            self.contradictions += 1
            if self.contradictions > self._most:
                raise LimitReached
            self._learn(conflict)
        return untouched

    def backjump(self, level: int) -> None:
        """Take back all decisions above a level."""
        if level >= self.level:
            return
        first = self._marks[level]
        for literal in self._trail[first:]:
            package = abs(literal)
            del self._value[package], self._level[package], self._reason[package]
        del self._trail[first:], self._marks[level:]
        self._head = 0  # rules that came in late are looked at again
        self._conflict = None

    def _put(self, literal: int, reason: Clause | None) -> None:
        package = abs(literal)
        self._value[package] = literal > 0
        self._level[package] = self.level
        self._reason[package] = reason
        self._trail.append(literal)
        if self._tell:
            self._tell("decided" if reason is None else "follows", literal, reason)

    def _propagate(self) -> Clause | None:
        if self._head == 0:
            for clause in self._facts:
                value = self.holds(clause.literals[0])
                if value is None:
                    self._put(clause.literals[0], clause)
                elif value is False:
                    return clause
        while self._head < len(self._trail):
            if self._conflict is not None:
                return self._taken_conflict()
            literal = self._trail[self._head]
            self._head += 1
            if literal not in self._expanded:
                self._expanded.add(literal)
                for clause in self._expand(literal):
                    self.add(clause)
            broken = self._visit(literal)
            if broken is not None:
                return broken
        return self._taken_conflict()

    def _taken_conflict(self) -> Clause | None:
        found, self._conflict = self._conflict, None
        return found

    def _visit(self, literal: int) -> Clause | None:
        """Look at the rules that watch the opposite of a literal."""
        watching = self._watched.get(literal)
        if not watching:
            return None
        kept: list[Clause] = []
        false = -literal
        for at, clause in enumerate(watching):
            literals = clause.literals
            if len(literals) > 1 and literals[0] == false:
                literals[0], literals[1] = literals[1], literals[0]
            other = self.holds(literals[0]) if len(literals) > 1 else False
            if other is True:
                kept.append(clause)
                continue
            for place in range(2, len(literals)):
                if self.holds(literals[place]) is not False:
                    literals[1], literals[place] = literals[place], literals[1]
                    self._watched.setdefault(-literals[1], []).append(clause)
                    break
            else:
                kept.append(clause)
                if other is False:
                    kept += watching[at + 1 :]
                    self._watched[literal] = kept
                    return clause
                self._put(literals[0], clause)
        self._watched[literal] = kept
        return None

    # -- learning ------------------------------------------------------------------------

    def _learn(self, conflict: Clause) -> None:
        """Draw a rule from a contradiction and go back to where it first tells something."""
        level = max((self._level[abs(literal)] for literal in conflict.literals), default=0)
        if level == 0:
            raise Unsatisfiable(self._proof(conflict))
        self.backjump(level)
        seen: set[int] = set()
        lower: dict[int, None] = {}
        used = [conflict]
        open_, at = 0, len(self._trail)
        literals: Iterable[int] = conflict.literals
        while True:
            for literal in literals:
                package = abs(literal)
                if package in seen:
                    continue
                seen.add(package)
                if self._level[package] == level:
                    open_ += 1
                elif self._level[package] > 0:
                    lower[literal] = None
                else:
                    fact = self._reason[package]
                    if fact is not None:
                        used.append(fact)
            while True:
                at -= 1
                literal = self._trail[at]
                if abs(literal) in seen and self._level[abs(literal)] == level:
                    break
            open_ -= 1
            if open_ == 0:
                break
            reason = self._reason[abs(literal)]
            assert reason is not None
            used.append(reason)
            literals = [other for other in reason.literals if other != literal]
        learnt = Clause([-literal, *lower], None, tuple(used))
        self.backjump(max((self._level[abs(literal)] for literal in lower), default=0))
        self._head = 0
        if self._tell:
            self._tell("back to", -literal, None)
        self._attach(learnt)

    def _proof(self, conflict: Clause) -> list[Clause]:
        """The given rules from which a contradiction without any decision follows."""
        found: dict[int, Clause] = {}
        todo, seen = [conflict], {id(conflict)}
        while todo:
            clause = todo.pop()
            if not clause.antecedents:
                found[id(clause)] = clause
            more = list(clause.antecedents)
            for literal in clause.literals:
                reason = self._reason.get(abs(literal))
                if reason is not None and self._level.get(abs(literal)) == 0:
                    more.append(reason)
            for reason in more:
                if id(reason) not in seen:
                    seen.add(id(reason))
                    todo.append(reason)
        return list(found.values())
