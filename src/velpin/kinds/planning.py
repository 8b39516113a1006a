"""From wishes to a plan, where each wish is a line or a place in the host's own files: joined
with those that stand, written, proved, contradictions named.

Nothing is written here. What the plan would write is read back by the ordinary reader, and
every wish, the new ones and those from before, must then hold. How a wish is written and
proved is for each kind of host to say.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Iterable, Sequence
from typing import Generic, Protocol, Self, TypeVar

from velpin.change.plan import Plan
from velpin.errors import HostFileError, Refusal
from velpin.joined import contradiction, joined, remaining
from velpin.model import Reason, Source, WayOut
from velpin.orders import contradicted, order_of
from velpin.tree import Edits
from velpin.wish import Verdict, Wish, command_of, short_of


class Ruled(Protocol):
    """What must be known of a host to plan wishes for it."""

    @property
    def sources(self) -> Sequence[Source]:
        """Its sources."""

    def with_edits(self, edits: Edits) -> Self:
        """The same host as it would be after some edits."""

    def refusal(self) -> object:
        """Why it would refuse every request."""


H = TypeVar("H", bound=Ruled)


class Planning(ABC, Generic[H]):
    """Plans wishes for one host."""

    def __init__(self, host: H) -> None:
        self.host = host

    def on(self, host: H) -> Self:
        """The same for another state of the host."""
        return type(self)(host)

    # -- said by each kind -----------------------------------------------------------------

    @abstractmethod
    def settled(self, wish: Wish) -> Wish:
        """A wish with its words looked up; Refusal where it means nothing here, or where this
        kind of host cannot express it."""

    @abstractmethod
    def findings(self, wish: Wish) -> Sequence[Reason]:
        """What a wish names that is not there."""

    @abstractmethod
    def standing(self) -> list[Wish]:
        """The wishes that stand."""

    @abstractmethod
    def takes_part(self, source: Source) -> bool:
        """Whether wishes about a source are heeded."""

    @abstractmethod
    def compile(self, plan: Plan, old: Sequence[Wish], target: Sequence[Wish]) -> None:
        """Put into the plan what it takes that, instead of the old, just the target stands."""

    @abstractmethod
    def verdict(self, wish: Wish) -> Verdict:
        """Whether a wish holds on the host."""

    # -- the steps -------------------------------------------------------------------------

    def made(self, wishes: Sequence[Wish], *, foremost: bool = False) -> Plan:
        """What making some wishes would write.

        Raises Refusal where a wish means nothing here or this kind of host cannot express it,
        HostFileError where the host's own files are not understood. What makes it impossible
        otherwise is the plan's `error`.
        """
        self._refuse_broken()
        if foremost:
            raise Refusal(
                "--foremost means nothing here: no rule of this kind of host wins over another",
                "velpin rules lists what is in force",
            )
        wishes = [self.settled(wish) for wish in wishes]
        plan = Plan(" && ".join(map(command_of, wishes)), "; ".join(map(short_of, wishes)))
        plan.wishes = list(wishes)
        for wish in wishes:
            plan.findings += self.findings(wish)
        old = self.standing()
        target = list(old)
        for wish in wishes:
            target = joined(target, wish)
        try:
            self._check_orders(target, old)
            self.compile(plan, old, target)
        except Refusal as problem:
            plan.error = problem
            return plan
        if not plan.unchanged:
            self._judge(plan, wishes, target)
        return plan

    def lifted(self, wishes: Sequence[Wish]) -> Plan:
        """What taking back some wishes would write; Refusal where none such stands."""
        self._refuse_broken()
        plan = Plan(
            " && ".join(command_of(wish, lift=True) for wish in wishes),
            "; ".join(f"no longer {short_of(wish)}" for wish in wishes),
        )
        old = self.standing()
        self.compile(plan, old, remaining(old, wishes))
        return plan

    def would_hold(self, wish: Wish) -> bool:
        """Whether a wish would hold if it were made."""
        plan, old = Plan("", ""), self.standing()
        try:
            self.compile(plan, old, joined(old, wish))
        except (Refusal, HostFileError):
            return False
        return self.on(self.host.with_edits(plan.edits)).verdict(wish).holds

    def is_there(self, wish: Wish) -> bool:
        """Whether all sources that a wish names take part."""
        handles = {one.handle for one in self.host.sources if self.takes_part(one)}
        return handles.issuperset(one for one in (wish.source, *wish.over, *wish.under) if one)

    def ways_to(self, wish: Wish, found: Verdict) -> Sequence[WayOut]:
        """What would help where a wish does not hold: nothing is known."""
        return ()

    def _refuse_broken(self) -> None:
        """A host whose files its installer refuses is to be put right first."""
        problem = self.host.refusal()
        if isinstance(problem, HostFileError):
            raise problem

    def _check_orders(self, target: Iterable[Wish], old: Sequence[Wish]) -> None:
        new = [wish for wish in target if wish.kind == "prefer" and wish not in old]
        sources = {wish.source for wish in new}
        others = [
            order_of(self.host.sources, wish)
            for wish in old
            if wish.kind == "prefer" and self.is_there(wish) and wish.source not in sources
        ]
        for wish in new:
            other = contradicted(order_of(self.host.sources, wish), others)
            if other:
                raise contradiction(wish, other)

    def _judge(self, plan: Plan, wishes: Sequence[Wish], target: Sequence[Wish]) -> None:
        """See whether the plan does what was wished, and leaves standing what was wished
        before."""
        after = self.on(self.host.with_edits(plan.edits))
        for wish in wishes:
            found = after.verdict(wish)
            if not found.holds:
                plan.unmet = found
                plan.ways_out += self.ways_to(wish, found)
                return
        for wish in target:
            if wish in wishes or not self.is_there(wish):
                continue
            if not after.verdict(wish).holds and self.verdict(wish).holds:
                plan.error = contradiction(wishes[0], wish)
                return
