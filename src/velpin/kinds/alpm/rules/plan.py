"""From rules to a plan: what is this kind's own (see `core/rule_planner.py`)."""

from __future__ import annotations

from collections.abc import Sequence

from velpin.change.plan import Plan
from velpin.core.rule_planner import RulePlanner
from velpin.errors import HostError, Refusal
from velpin.files.tree import Edits
from velpin.kinds.alpm.rules.fallback import check
from velpin.kinds.alpm.rules.resolve import findings, resolve_rule
from velpin.kinds.alpm.rules.store import edits_replacing, recorded_rules, rules_of, without_line
from velpin.kinds.alpm.rules.verify import verdict
from velpin.kinds.alpm.state import AlpmState
from velpin.model.reason import Place, Reason
from velpin.model.rule import Rule, Verdict
from velpin.model.source import Source


class AlpmRulePlanner(RulePlanner):
    """Plans rules for one alpm host: lines of the settings, places of sections."""

    host: AlpmState

    def resolve(self, rule: Rule) -> Rule:
        """A rule with its words looked up; Refusal, with the nearest, where that cannot be."""
        found = resolve_rule(self.host, rule)
        check(self.host, found, self._trial)
        return found

    def _trial(self, rule: Rule, lift: bool) -> AlpmState | None:
        """The host as a rule would make it, or one that stands taken back; None where that
        cannot be or would not hold."""
        try:
            plan = self.lifted([rule]) if lift else self.made([rule])
        except (Refusal, HostError):
            return None
        return None if plan.why_not() else self.host.with_edits(plan.edits)

    def findings(self, rule: Rule) -> list[Reason]:
        """What a rule names that is not there."""
        return findings(self.host, rule)

    def recorded(self) -> list[Rule]:
        """The rules that stand."""
        return rules_of(recorded_rules(self.host))

    def recorded_at(self, place: Place) -> Rule | None:
        """The rule of Velpin's that stands at a place."""
        return next(
            (recorded.rule for recorded in recorded_rules(self.host) if recorded.place == place),
            None,
        )

    def edits_without(self, place: Place) -> Edits | None:
        """The edits that take away a line that someone else wrote."""
        return None if self.recorded_at(place) else without_line(self.host.tree, place) or None

    def takes_part(self, source: Source) -> bool:
        """A section that is commented out has no place in the order."""
        return source.on

    def compile(
        self, plan: Plan, old: Sequence[Rule], target: Sequence[Rule], asked: Sequence[Rule]
    ) -> None:
        """Put into the plan what it takes that just the target stands."""
        there = [rule for rule in target if self.is_there(rule)]
        gone = [rule for rule in old if self.is_there(rule) or rule not in target]
        orders = [self.precedence(rule) for rule in there if rule.kind == "prefer"]
        plan.propose(self.host.tree, edits_replacing(self.host.tree, gone, there, orders))

    def verdict(self, rule: Rule) -> Verdict:
        """Whether a rule holds on the host."""
        return verdict(self.host, rule)
