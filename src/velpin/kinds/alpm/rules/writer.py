"""How rules become lines of the settings and places of sections."""

from __future__ import annotations

from collections.abc import Sequence

from velpin.change.plan import Plan
from velpin.files.tree import Edits
from velpin.kinds.alpm.rules.fallback import serves, unexpressed
from velpin.kinds.alpm.rules.listing import AlpmRules
from velpin.kinds.alpm.rules.resolve import findings, resolve_rule
from velpin.kinds.alpm.rules.store import edits_replacing, without_line
from velpin.kinds.alpm.state import AlpmState
from velpin.model.reason import Place, Reason
from velpin.model.rule import Prefer, Rule
from velpin.ports.rule_writer import RuleWriter, Unexpressed


class AlpmRuleWriter(RuleWriter):
    """Writes rules of an alpm host: lines of the settings, places of sections."""

    def __init__(self, state: AlpmState) -> None:
        self._state, self._rules = state, AlpmRules(state)

    def resolve(self, rule: Rule) -> Rule:
        """A rule with its words looked up; Refusal where that cannot be."""
        return resolve_rule(self._state, rule)

    def unexpressed(self, rule: Rule) -> Unexpressed | None:
        """Confined sources, pinned versions, and what single versions or sources are barred
        from."""
        return unexpressed(self._state, rule)

    def serves(self, rule: Rule, instead: Rule) -> bool:
        """Whether names get what a pin or a bar asked for."""
        return serves(self._state, rule, instead)

    def findings(self, rule: Rule) -> list[Reason]:
        """What a rule names that is not there."""
        return findings(self._state, rule)

    def edits_without(self, place: Place) -> Edits | None:
        """The edits that take away a line that someone else wrote."""
        return (
            None
            if self._rules.recorded_at(place)
            else without_line(self._state.tree, place) or None
        )

    def compile(
        self,
        plan: Plan,
        old: Sequence[Rule],
        target: Sequence[Rule],
        asked: Sequence[Rule],
        *,
        foremost: bool = False,
    ) -> None:
        """Put into the plan what it takes that just the target stands."""
        there = [rule for rule in target if self._rules.is_there(rule)]
        gone = [rule for rule in old if self._rules.is_there(rule) or rule not in target]
        orders = [self._rules.precedence(rule) for rule in there if isinstance(rule, Prefer)]
        plan.propose(self._state.tree, edits_replacing(self._state.tree, gone, there, orders))
