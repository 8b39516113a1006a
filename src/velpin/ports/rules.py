"""The rules of a host: those in force, whoever wrote them, and whether a rule holds."""

from __future__ import annotations

from abc import abstractmethod
from typing import TYPE_CHECKING, Protocol

from velpin.model.precedence import precedence_of
from velpin.model.rule import sources_in

if TYPE_CHECKING:
    from collections.abc import Sequence

    from velpin.model.precedence import Precedence
    from velpin.model.reason import Place
    from velpin.model.rule import Prefer, Rule, RuleInForce, Verdict
    from velpin.model.source import Source


class Rules(Protocol):
    """Rules that stand on the host."""

    @property
    @abstractmethod
    def sources(self) -> Sequence[Source]:
        """The sources of the host."""

    @abstractmethod
    def in_force(self) -> list[RuleInForce]:
        """Return every rule in force, what each decides, and which decide nothing."""

    def recorded(self) -> list[Rule]:
        """Return the rules of Velpin's that stand in the host's files."""
        return [each.rule for each in self.in_force() if each.rule]

    def recorded_at(self, place: Place) -> Rule | None:
        """Return the rule of Velpin's that stands at a place, None if there is none."""
        return next((each.rule for each in self.in_force() if each.place == place), None)

    @abstractmethod
    def verdict(self, rule: Rule) -> Verdict:
        """Return whether a rule holds on the host."""

    def takes_part(self, source: Source) -> bool:
        """Return whether rules about a source are heeded."""
        return True

    def names_source(self, text: str) -> bool:
        """Return whether a text in a rule means a source that is there."""
        return any(source.handle == text for source in self.sources if self.takes_part(source))

    def same_source(self, one: str, other: str) -> bool:
        """Return whether two texts in rules mean one source."""
        return one == other

    def precedence(self, rule: Prefer) -> Precedence:
        """Return what a rule to prefer a source says of the order of sources."""
        return precedence_of(self.sources, rule)

    def is_there(self, rule: Rule) -> bool:
        """Return whether all sources that a rule names take part."""
        return all(map(self.names_source, sources_in(rule)))
