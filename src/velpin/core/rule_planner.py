"""From rules to a plan: merged with those that stand, written, proved, contradictions named.

Nothing is written here. What the plan would write is read back by the ordinary reader, and
every rule, the new ones and those from before, must then hold. How a rule is written and
proved is for the ports `RuleWriter` and `Rules` to say.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING

from velpin.change.plan import Plan
from velpin.core.rule_merge import adds_nothing, contradiction, merge, remaining
from velpin.errors import HostError, HostFileError, Refusal, VelpinError
from velpin.model.forecast import Remedy
from velpin.model.precedence import contradicted
from velpin.model.reason import Place, Reason
from velpin.model.rule import Pin, Prefer, Rule, Verdict, command_of, short_of
from velpin.model.rule_reasons import ForemostWins, RuleGone, WithOlder, WouldGoBack

if TYPE_CHECKING:
    from velpin.files.tree import Edits
    from velpin.ports.bundle import Ports


class RulePlanner:
    """Plans rules for one host; `foremost`: they are written where no other rule wins."""

    def __init__(self, ports: Ports, *, foremost: bool = False) -> None:
        self.ports, self.foremost = ports, foremost
        self.rules, self.writer = ports.rules, ports.rule_writer

    def on(self, ports: Ports) -> RulePlanner:
        """The same for another state of the host."""
        return RulePlanner(ports, foremost=self.foremost)

    def resolve(self, rule: Rule) -> Rule:
        """A rule with its words looked up.

        Raises Refusal where it means nothing here, or where this kind of host cannot express it;
        then with the nearest that works, which was tried."""
        found = self.writer.resolve(rule)
        unexpressed = self.writer.unexpressed(found)
        if unexpressed is None:
            return found
        for nearest, lift in unexpressed.nearest:
            after = self._trial(nearest, lift=lift)
            if after is not None and after.rule_writer.serves(found, nearest):
                what = command_of(nearest, lift=lift)
                raise Refusal(unexpressed.says, f"the nearest rule that works (tried): {what}")
        hint = "velpin offers NAME tells what there is; NAME%SOURCE asks for one once"
        raise Refusal(unexpressed.says, hint)

    def _trial(self, rule: Rule, *, lift: bool) -> Ports | None:
        """The host as a rule would make it, or one that stands taken back; None where that
        cannot be or would not hold."""
        try:
            plan = self.lifted([rule]) if lift else self.made([rule])
        except (Refusal, HostError):
            return None
        return None if plan.why_not() else self.ports.with_edits(plan.edits)

    def stands(self, rule: Rule) -> bool:
        """Whether a rule, resolved, is recorded on the host, alone or merged with others.

        Raises Refusal for a rule that means nothing here."""
        recorded, names_source = self.rules.recorded(), self.rules.names_source
        return any(
            adds_nothing(recorded, each, names_source) for each in (rule, self.resolve(rule))
        )

    def remedies_for(self, rule: Rule, found: Verdict) -> Iterable[Remedy]:
        """Small changes with which a rule would hold, each of them tried."""
        if isinstance(found.why, WouldGoBack) and isinstance(rule, Pin) and not rule.allow_older:
            older = replace(rule, allow_older=True)
            if self.would_hold(older):
                yield Remedy(command_of(older), WithOlder())
        if found.rival is None:
            return
        file = self.writer.foremost_file
        if file and not self.foremost and RulePlanner(self.ports, foremost=True).would_hold(rule):
            what = ForemostWins(file=file)
            yield Remedy(command_of(rule) + " --foremost", what)
        edits = self._edits_without(found.rival)
        if edits and self.on(self.ports.with_edits(edits)).would_hold(rule):
            yield Remedy(f"velpin rules drop {found.rival}", RuleGone(place=found.rival))

    # -- the steps -------------------------------------------------------------------------

    def made(self, rules: Sequence[Rule]) -> Plan:
        """What making some rules would write.

        Raises Refusal where a rule means nothing here or this kind of host cannot express it,
        HostFileError where the host's own files are not understood. What makes it impossible
        otherwise is the plan's `error`.
        """
        self._refuse_broken()
        if self.foremost and not self.writer.foremost_file:
            raise Refusal(
                "--foremost means nothing here: no rule of this kind of host wins over another",
                "velpin rules lists what is in force",
            )
        rules = [self.resolve(rule) for rule in rules]
        plan = Plan(" && ".join(map(command_of, rules)), "; ".join(map(short_of, rules)))
        plan.rules = list(rules)
        for rule in rules:
            plan.findings += self._with_near(self.writer.findings(rule))
        old = self.rules.recorded()
        target, asked = self._merged(old, rules)
        try:
            self._check_precedence(target, old)
            self._compile(plan, old, target, asked)
        except Refusal as problem:
            plan.error = problem
            return plan
        if not plan.unchanged:
            self._judge(plan, target, asked)
        return plan

    def _with_near(self, findings: Sequence[Reason]) -> Sequence[Reason]:
        """Findings with names and versions like those that are not there."""
        if not findings:
            return findings
        from velpin.core.near import with_near

        return [with_near(self.ports, each) for each in findings]

    def _merged(self, old: Sequence[Rule], rules: Iterable[Rule]) -> tuple[list[Rule], list[Rule]]:
        """All rules as they are to stand, and those of them that are made now."""
        target = list(old)
        for rule in rules:
            target = merge(target, rule, self.rules.names_source)
        return target, [rule for rule in target if not any(rule is existing for existing in old)]

    def lifted(self, rules: Sequence[Rule]) -> Plan:
        """What taking back some rules would write; Refusal where none such stands."""
        self._refuse_broken()
        plan = Plan(
            " && ".join(command_of(rule, lift=True) for rule in rules),
            "; ".join(f"no longer {short_of(rule)}" for rule in rules),
        )
        old = self.rules.recorded()
        self._compile(plan, old, remaining(old, rules, self.rules.same_source), ())
        return plan

    def dropped(self, place: Place) -> Plan:
        """What taking away the rule at a place would write, whoever wrote it.

        Raises Refusal where none stands there or velpin cannot take it away, HostFileError where
        the file is not understood.
        """
        edits = self.writer.edits_without(place)
        if edits is None:
            own = self.rules.recorded_at(place)
            if own is None:
                raise Refusal(
                    f"there is no rule at {place}", "velpin rules lists them, with their places"
                )
            return self.lifted([own])
        plan = Plan(f"velpin rules drop {place}", f"drop the rule at {place}")
        plan.propose(self.ports.tree, edits)
        return plan

    def would_hold(self, rule: Rule) -> bool:
        """Whether a rule would hold if it were made."""
        plan, old = Plan("", ""), self.rules.recorded()
        try:
            self._compile(plan, old, *self._merged(old, [rule]))
        except (Refusal, HostFileError):
            return False
        return self.on(self.ports.with_edits(plan.edits)).rules.verdict(rule).holds

    def _compile(
        self, plan: Plan, old: Sequence[Rule], target: Sequence[Rule], asked: Sequence[Rule]
    ) -> None:
        self.writer.compile(plan, old, target, asked, foremost=self.foremost)

    def _edits_without(self, place: Place) -> Edits | None:
        """The edits that take a rule away, whoever wrote it; None where that cannot be."""
        try:
            return self.dropped(place).edits
        except VelpinError:
            return None

    def _refuse_broken(self) -> None:
        """A host whose files its installer refuses is to be repaired first."""
        problem = self.ports.readiness.refusal()
        if isinstance(problem, HostFileError):
            raise problem

    def _check_precedence(self, target: Iterable[Rule], old: Sequence[Rule]) -> None:
        new = [rule for rule in target if isinstance(rule, Prefer) and rule not in old]
        sources = {rule.source for rule in new}
        others = [
            self.rules.precedence(rule)
            for rule in old
            if isinstance(rule, Prefer)
            if self.rules.is_there(rule) and rule.source not in sources
        ]
        for rule in new:
            other = contradicted(self.rules.precedence(rule), others)
            if other:
                raise contradiction(rule, other)

    def _judge(self, plan: Plan, target: Sequence[Rule], asked: Sequence[Rule]) -> None:
        """See whether the plan does what was asked for, and leaves standing what stood before."""
        after = self.on(self.ports.with_edits(plan.edits))
        for rule in asked:
            found = after.rules.verdict(rule)
            if not found.holds:
                plan.unmet = found
                rival = after.rules.recorded_at(found.rival) if found.rival else None
                if rival and rival not in plan.rules:
                    plan.error = contradiction(rule, rival)
                else:
                    plan.remedies += self.remedies_for(rule, found)
                return
        for rule in (rule for rule in target if rule not in asked and self.rules.is_there(rule)):
            if not after.rules.verdict(rule).holds and self.rules.verdict(rule).holds:
                plan.error = contradiction(plan.rules[0], rule)
                return
