"""How rules become edits of a host's files."""

from __future__ import annotations

from abc import abstractmethod
from typing import TYPE_CHECKING, NamedTuple, Protocol

if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence

    from velpin.change.plan import Plan
    from velpin.files.tree import Edits
    from velpin.model.reason import Place, Reason
    from velpin.model.rule import Rule
    from velpin.model.source import Source


class Unexpressed(NamedTuple):
    """A rule that a kind of host cannot express, and rules to try instead."""

    says: str
    nearest: Sequence[tuple[Rule, bool]]
    """The nearest first; with each whether it is one that stands and would be taken back."""


class Uncovering(NamedTuple):
    """One change that shows offers which the host's own settings hide."""

    command: str
    """What would be typed for it with the host's installer."""
    edits: Edits


class RuleWriter(Protocol):
    """Writes rules the way the host's installer reads them; nothing is written by it."""

    @property
    def foremost_file(self) -> str:
        """The file in which a rule wins over all others; empty if no place does that."""
        return ""

    @abstractmethod
    def resolve(self, rule: Rule) -> Rule:
        """Return a rule with its words looked up.

        Raises Refusal if it means nothing here, or if this kind of host cannot express it."""

    def unexpressed(self, rule: Rule) -> Unexpressed | None:
        """Return what to try instead of a rule, resolved, that this kind of host cannot express;
        None if it can."""
        return None

    def serves(self, rule: Rule, instead: Rule) -> bool:
        """Return whether on this host, where another rule was made instead of one that cannot be
        expressed, names get what was asked for."""
        return True

    def findings(self, rule: Rule) -> Sequence[Reason]:
        """Return what a rule names that is not there."""
        return ()

    @abstractmethod
    def compile(
        self,
        plan: Plan,
        old: Sequence[Rule],
        target: Sequence[Rule],
        asked: Sequence[Rule],
        *,
        foremost: bool = False,
    ) -> None:
        """Put into the plan what it takes that, instead of the old, just the target stands.

        `asked` are those of the target that are made now: of several ways to write one, the
        first counts under which the forecast does what it says. `foremost` writes them where no
        other rule wins. Raises Refusal if one cannot be written."""

    def edits_without(self, place: Place) -> Edits | None:
        """Return the edits that take away someone else's rule at a place; None if there is none.

        Raises Refusal if it cannot be taken away."""
        return None

    def uncovering(self, name: str) -> Iterable[Uncovering]:
        """Return changes that show offers of a name which no rule of Velpin's speaks of."""
        return ()

    def notes(self, plan: Plan) -> Iterable[Reason]:
        """Return what a plan of rules would do beside what they are for."""
        return ()

    def drop_notes(self, source: Source) -> Iterable[Reason]:
        """Return what taking a source away would do to rules."""
        return ()
