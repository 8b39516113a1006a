"""From rules to a plan: merged with those that stand, written, proved, contradictions named.

Nothing is written here. What the plan would write is read back by the ordinary reader, and
every rule, the new ones and those from before, must then hold. How a rule is written and
proved is for each kind of host to say.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Iterable, Sequence
from typing import TYPE_CHECKING, Self

from velpin.change.plan import Plan
from velpin.core.rule_merge import adds_nothing, contradiction, merge, remaining
from velpin.errors import HostFileError, Refusal, VelpinError
from velpin.model.forecast import Remedy
from velpin.model.precedence import Precedence, contradicted, precedence_of
from velpin.model.reason import Place, Reason
from velpin.model.rule import Rule, Verdict, command_of, short_of

if TYPE_CHECKING:
    from velpin.core.adapter import Adapter
    from velpin.files.tree import Edits
    from velpin.model.source import Source


class RulePlanner(ABC):
    """Plans rules for one host; `foremost`: they are written where no other rule wins."""

    host: Adapter[Source]
    can_be_foremost = False
    """Whether a rule of this kind of host can win over others by where it stands."""

    def __init__(self, host: Adapter[Source], *, foremost: bool = False) -> None:
        self.host = host
        self.foremost = foremost

    def on(self, host: Adapter[Source]) -> Self:
        """The same for another state of the host."""
        return type(self)(host, foremost=self.foremost)

    # -- said by each kind -----------------------------------------------------------------

    @abstractmethod
    def resolve(self, rule: Rule) -> Rule:
        """A rule with its words looked up; Refusal where it means nothing here, or where this
        kind of host cannot express it."""

    @abstractmethod
    def findings(self, rule: Rule) -> Sequence[Reason]:
        """What a rule names that is not there."""

    @abstractmethod
    def recorded(self) -> list[Rule]:
        """The rules of Velpin's that stand in the host's files."""

    @abstractmethod
    def recorded_at(self, place: Place) -> Rule | None:
        """The rule of Velpin's that stands at a place, None where none does."""

    @abstractmethod
    def edits_without(self, place: Place) -> Edits | None:
        """The edits that take away someone else's rule at a place; None where none stands
        there, Refusal where it cannot be taken away."""

    @abstractmethod
    def compile(
        self, plan: Plan, old: Sequence[Rule], target: Sequence[Rule], asked: Sequence[Rule]
    ) -> None:
        """Put into the plan what it takes that, instead of the old, just the target stands.

        `asked` are those of the target that are made now: of several ways to write one, the
        first counts under which the forecast does what it says. Refusal where one cannot be
        written."""

    @abstractmethod
    def verdict(self, rule: Rule) -> Verdict:
        """Whether a rule holds on the host."""

    def stands(self, rule: Rule) -> bool:
        """Whether a rule, resolved, is recorded on the host, alone or merged with others.

        Raises Refusal for a rule that means nothing here."""
        recorded = self.recorded()
        return any(
            adds_nothing(recorded, each, self.names_source) for each in (rule, self.resolve(rule))
        )

    def takes_part(self, source: Source) -> bool:
        """Whether rules about a source are heeded."""
        return True

    def names_source(self, text: str) -> bool:
        """Whether a text in a rule means a source that is there."""
        return any(source.handle == text for source in self.host.sources if self.takes_part(source))

    def same_source(self, one: str, other: str) -> bool:
        """Whether two texts in rules mean one source."""
        return one == other

    def precedence(self, rule: Rule) -> Precedence:
        """What a rule to prefer a source says of the order of sources."""
        return precedence_of(self.host.sources, rule)

    def remedies_for(self, rule: Rule, found: Verdict) -> Iterable[Remedy]:
        """Small changes with which a rule would hold, each of them tried: here, to drop the
        rule that wins."""
        if found.rival is None:
            return
        edits = self._edits_without(found.rival)
        if edits and self.on(self.host.with_edits(edits)).would_hold(rule):
            facts = Reason("rule-gone", {"place": found.rival})
            yield Remedy(f"velpin rules drop {found.rival}", facts)

    # -- the steps -------------------------------------------------------------------------

    def made(self, rules: Sequence[Rule]) -> Plan:
        """What making some rules would write.

        Raises Refusal where a rule means nothing here or this kind of host cannot express it,
        HostFileError where the host's own files are not understood. What makes it impossible
        otherwise is the plan's `error`.
        """
        self._refuse_broken()
        if self.foremost and not self.can_be_foremost:
            raise Refusal(
                "--foremost means nothing here: no rule of this kind of host wins over another",
                "velpin rules lists what is in force",
            )
        rules = [self.resolve(rule) for rule in rules]
        plan = Plan(" && ".join(map(command_of, rules)), "; ".join(map(short_of, rules)))
        plan.rules = list(rules)
        for rule in rules:
            plan.findings += self.findings(rule)
        old = self.recorded()
        target, asked = self._merged(old, rules)
        try:
            self._check_precedence(target, old)
            self.compile(plan, old, target, asked)
        except Refusal as problem:
            plan.error = problem
            return plan
        if not plan.unchanged:
            self._judge(plan, target, asked)
        return plan

    def _merged(self, old: Sequence[Rule], rules: Iterable[Rule]) -> tuple[list[Rule], list[Rule]]:
        """All rules as they are to stand, and those of them that are made now."""
        target = list(old)
        for rule in rules:
            target = merge(target, rule, self.names_source)
        return target, [rule for rule in target if not any(rule is existing for existing in old)]

    def lifted(self, rules: Sequence[Rule]) -> Plan:
        """What taking back some rules would write; Refusal where none such stands."""
        self._refuse_broken()
        plan = Plan(
            " && ".join(command_of(rule, lift=True) for rule in rules),
            "; ".join(f"no longer {short_of(rule)}" for rule in rules),
        )
        old = self.recorded()
        self.compile(plan, old, remaining(old, rules, self.same_source), ())
        return plan

    def dropped(self, place: Place) -> Plan:
        """What taking away the rule at a place would write, whoever wrote it.

        Raises Refusal where none stands there or velpin cannot take it away, HostFileError where
        the file is not understood.
        """
        edits = self.edits_without(place)
        if edits is None:
            own = self.recorded_at(place)
            if own is None:
                raise Refusal(
                    f"there is no rule at {place}", "velpin rules lists them, with their places"
                )
            return self.lifted([own])
        plan = Plan(f"velpin rules drop {place}", f"drop the rule at {place}")
        plan.propose(self.host.tree, edits)
        return plan

    def would_hold(self, rule: Rule) -> bool:
        """Whether a rule would hold if it were made."""
        plan, old = Plan("", ""), self.recorded()
        try:
            self.compile(plan, old, *self._merged(old, [rule]))
        except (Refusal, HostFileError):
            return False
        return self.on(self.host.with_edits(plan.edits)).verdict(rule).holds

    def is_there(self, rule: Rule) -> bool:
        """Whether all sources that a rule names take part."""
        return all(map(self.names_source, filter(None, (rule.source, *rule.over, *rule.under))))

    def _edits_without(self, place: Place) -> Edits | None:
        """The edits that take a rule away, whoever wrote it; None where that cannot be."""
        try:
            return self.dropped(place).edits
        except VelpinError:
            return None

    def _refuse_broken(self) -> None:
        """A host whose files its installer refuses is to be repaired first."""
        problem = self.host.refusal()
        if isinstance(problem, HostFileError):
            raise problem

    def _check_precedence(self, target: Iterable[Rule], old: Sequence[Rule]) -> None:
        new = [rule for rule in target if rule.kind == "prefer" and rule not in old]
        sources = {rule.source for rule in new}
        others = [
            self.precedence(rule)
            for rule in old
            if rule.kind == "prefer" and self.is_there(rule) and rule.source not in sources
        ]
        for rule in new:
            other = contradicted(self.precedence(rule), others)
            if other:
                raise contradiction(rule, other)

    def _judge(self, plan: Plan, target: Sequence[Rule], asked: Sequence[Rule]) -> None:
        """See whether the plan does what was asked for, and leaves standing what stood before."""
        after = self.on(self.host.with_edits(plan.edits))
        for rule in asked:
            found = after.verdict(rule)
            if not found.holds:
                plan.unmet = found
                rival = after.recorded_at(found.rival) if found.rival else None
                if rival and rival not in plan.rules:
                    plan.error = contradiction(rule, rival)
                else:
                    plan.remedies += self.remedies_for(rule, found)
                return
        for rule in (rule for rule in target if rule not in asked and self.is_there(rule)):
            if not after.verdict(rule).holds and self.verdict(rule).holds:
                plan.error = contradiction(plan.rules[0], rule)
                return
