"""A host whose questions are answered by the modules of its kind's folder.

Every kind's folder has them under the same names, and each is read when it is first asked, so
that a forecast starts fast. A test looks for all of them in every kind.

    standing    standings                 keyring     key_uses, key_problems
    version     compare
    forecast    forecast, forecast_upgrade, near_names
    offers      offers_of, offers_from, find
    whole       came_from, after_upgrade, pictured, turned
    recipes     recipe_format, meeting
    refresh     refresh_source            add         plan_add
    trust       checks_off
    edit        switch, drop
    rules.plan  plan_wishes, plan_lift, plan_rule_drop
    rules.told  rules
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Hashable, Iterable, Iterator, Mapping, Sequence
from functools import cached_property
from importlib import import_module
from typing import TYPE_CHECKING, Any, Self

from velpin.errors import no_realign
from velpin.model import Forecast, Note, Offer, Place, Source

if TYPE_CHECKING:
    from velpin.about import HostFacts, KeyUse, Met, Refreshed, Standing
    from velpin.change.plan import Plan, SourceWish
    from velpin.change.readback import Meaning
    from velpin.fetch.download import Login, Transport
    from velpin.recipes.recipe import Meeting, RecipeFormat
    from velpin.shifts import AfterUpgrade, Pictured, Turned
    from velpin.tree import Edits, Tree
    from velpin.wish import Rule, Wish


class Answering(ABC):
    """The answers that each kind's modules give; what is a kind's own it says itself."""

    folder: str
    """The kind's package, in which those modules are."""
    fetch_options: tuple[str, ...] = ()
    """Options of `refresh` that mean something for this kind."""
    realigns = False
    """Whether it has an upgrade across vendors."""

    kind: str
    tree: Tree

    # -- said by what is read of each kind -------------------------------------------------

    @property
    @abstractmethod
    def release(self) -> Mapping[str, str]:
        """The fields of etc/os-release."""

    @property
    @abstractmethod
    def native(self) -> str:
        """The host's own architecture."""

    @property
    @abstractmethod
    def sources(self) -> Sequence[Source]:
        """Sources on, in the order of reading, then those switched off."""

    @abstractmethod
    def source(self, handle: str) -> Any:
        """The source with a handle; Refusal where there is none."""

    @abstractmethod
    def state_of(self, source: Any) -> str:
        """Whether a source takes part."""

    @abstractmethod
    def notes(self) -> Iterable[Note]:
        """Everything odd that was found in the host's files."""

    @abstractmethod
    def with_edits(self, edits: Edits) -> Self:
        """The same host as it would be after some edits."""

    @abstractmethod
    def meaning(self) -> Meaning:
        """What the source files of the host state, to be held against what they stated before."""

    @property
    def rule_fields(self) -> tuple[str, ...]:
        """Fields of those statements that rules are written in."""
        return ()

    def key_of(self, source: Source) -> Hashable:
        """What a source is known by in those statements."""
        return source.handle

    def _ask(self, module: str, name: str) -> Callable[..., Any]:
        """A function of one of the kind's modules."""
        found: Callable[..., Any] = getattr(import_module(f"{self.folder}.{module}"), name)
        return found

    # -- looking -------------------------------------------------------------------------

    def facts_with(
        self,
        dates: Iterable[float | None],
        foreign: Iterable[str],
        installed: int,
        held: int,
    ) -> HostFacts:
        """What host this is; `dates` are those of the indexes that take part."""
        from velpin.about import HostFacts

        known = [date for date in dates if date]
        states = [self.state_of(source) for source in self.sources]
        return HostFacts(
            kind=self.kind,
            release=self.release,
            arch=self.native,
            foreign=tuple(foreign),
            on=sum(source.on for source in self.sources),
            off=sum(not source.on for source in self.sources),
            not_fetched=states.count("not fetched"),
            oldest=min(known, default=None),
            newest=max(known, default=None),
            installed=installed,
            held=held,
            notes=tuple(self.notes()),
        )

    def standings(self) -> list[Standing]:
        """Every source in the order in which it wins."""
        found: list[Standing] = self._ask("standing", "standings")(self)
        return found

    def keys(self) -> list[KeyUse]:
        """Every key that vouches for something, and for what."""
        found: list[KeyUse] = self._ask("keyring", "key_uses")(self)
        return found

    def key_problems(self) -> list[str]:
        """Keys that are named and cannot be used, and why."""
        found: list[str] = self._ask("keyring", "key_problems")(self)
        return found

    def compare(self, one: str, other: str) -> int:
        """-1, 0 or 1 for two versions."""
        found: int = self._ask("version", "compare")(one, other)
        return found

    # -- building --------------------------------------------------------------------------

    @property
    def recipe_format(self) -> RecipeFormat:
        """How recipes are written for this kind of host."""
        found: RecipeFormat = self._ask("recipes", "recipe_format")(self)
        return found

    def meeting(self, relation: str) -> Meeting | None:
        """What meets a relation as recipes write it."""
        found: Meeting | None = self._ask("recipes", "meeting")(self, relation)
        return found

    # -- choosing ------------------------------------------------------------------------

    def forecast(self, texts: Sequence[str], source: str = "") -> Forecast:
        """Predict one transaction for all requests together."""
        found: Forecast = self._ask("forecast", "forecast")(self, texts, source)
        return found

    def forecast_upgrade(self, *, realign: bool = False) -> Forecast:
        """Predict the full upgrade of the host; UsageError where it has none across vendors."""
        if realign and not self.realigns:
            raise no_realign(self.kind)
        more = {"realign": True} if realign else {}
        found: Forecast = self._ask("forecast", "forecast_upgrade")(self, **more)
        return found

    def near_names(self, name: str) -> tuple[str, ...]:
        """Names like one that is not known."""
        found: tuple[str, ...] = self._ask("forecast", "near_names")(self, name)
        return found

    def offers(self, names: Iterable[str]) -> list[Offer]:
        """Every offer of some names, newest first."""
        found: list[Offer] = self._ask("offers", "offers_of")(self, names)
        return found

    def offers_from(self, handle: str, glob: str = "*") -> list[Offer]:
        """What one source offers."""
        found: list[Offer] = self._ask("offers", "offers_from")(self, handle, glob)
        return found

    def find(self, text: str, most: int = 40) -> tuple[list[Met], int]:
        """Names and summaries that hold the words of a text, best first."""
        found: tuple[list[Met], int] = self._ask("offers", "find")(self, text, most)
        return found

    # -- the whole host ------------------------------------------------------------------

    def came_from(self, handle: str) -> list[str]:
        """Installed packages whose version the host takes from a source."""
        found: list[str] = self._ask("whole", "came_from")(self, handle)
        return found

    def after_upgrade(self) -> AfterUpgrade:
        """How every installed package would stand after the full upgrade."""
        return self._after_upgrade

    @cached_property
    def _after_upgrade(self) -> AfterUpgrade:
        found: AfterUpgrade = self._ask("whole", "after_upgrade")(self)
        return found

    def pictured(self, watched: Iterable[str]) -> list[Pictured]:
        """How every installed package stands, and some names that may not be installed."""
        found: list[Pictured] = self._ask("whole", "pictured")(self, watched)
        return found

    def turned_since(self, before: Any) -> Iterator[Turned]:
        """Names that are not installed and would be answered otherwise than before."""
        found: Iterator[Turned] = self._ask("whole", "turned")(before, self)
        return found

    # -- fetching ------------------------------------------------------------------------

    def fetch_proxies(self) -> Mapping[str, str]:
        """Proxies of the installer's configuration: none."""
        return {}

    def fetch_logins(self) -> Sequence[Login]:
        """Logins for private sources of the installer's configuration: none."""
        return []

    def refresh(
        self,
        handle: str,
        transport: Transport,
        *,
        accept_changed: bool = False,
        files: bool = False,
    ) -> Refreshed:
        """Fetch and check the indexes of one source; failures are returned."""
        given = {"accept_changed": accept_changed, "files": files}
        options = {name: given[name] for name in self.fetch_options}
        ask = self._ask("refresh", "refresh_source")
        found: Refreshed = ask(self, self.source(handle), transport, **options)
        return found

    # -- changing ------------------------------------------------------------------------

    def plan_add(self, wish: SourceWish, transport: Transport) -> Plan:
        """What adding a source would write."""
        from velpin.change.readback import check_add

        found: Plan = self._ask("add", "plan_add")(self, wish, transport)
        if found.edits and not found.unchanged:
            after = self.with_edits(found.edits)
            check_add(self, after, [after.key_of(after.source(one)) for one in found.handles])
            checks_off = self._ask("trust", "checks_off")
            added = [after.source(one) for one in found.handles]
            found.notes[:0] = [one for source in added for one in checks_off(after, source)]
        return found

    def plan_switch(self, handle: str, on: bool) -> Plan:
        """What switching a source on or off would write; Refusal where it would do more."""
        from velpin.change.plan import Plan
        from velpin.change.readback import check_switch

        source = self.source(handle)
        word = "on" if on else "off"
        plan = Plan(f"velpin {word} {source.handle}", f"switch {source.handle} {word}")
        plan.handles = [source.handle]
        switch = self._ask("edit", "switch")
        plan.propose(self.tree, switch(self.tree, source, on) if source.on != on else {})
        if plan.edits:
            check_switch(self, self.with_edits(plan.edits), self.key_of(source), on)
        return plan

    def plan_drop(self, handle: str) -> Plan:
        """What taking a source away would write; Refusal where it would do more."""
        from velpin.change.plan import Plan
        from velpin.change.readback import check_drop

        source = self.source(handle)
        plan = Plan(f"velpin drop {source.handle}", f"drop source {source.handle}")
        plan.handles = [source.handle]
        plan.propose(self.tree, self._ask("edit", "drop")(self.tree, source))
        check_drop(self, self.with_edits(plan.edits), self.key_of(source), source.on)
        return plan

    def plan_wishes(self, wishes: Sequence[Wish], *, foremost: bool = False) -> Plan:
        """What making some wishes would write."""
        found: Plan = self._ask("rules.plan", "plan_wishes")(self, wishes, foremost=foremost)
        return self._read_back(found)

    def plan_lift(self, wishes: Sequence[Wish]) -> Plan:
        """What taking back some wishes would write."""
        found: Plan = self._ask("rules.plan", "plan_lift")(self, wishes)
        return self._read_back(found)

    def plan_rule_drop(self, place: Place) -> Plan:
        """What taking away one rule would write, whoever wrote it."""
        found: Plan = self._ask("rules.plan", "plan_rule_drop")(self, place)
        return self._read_back(found)

    def _read_back(self, plan: Plan) -> Plan:
        """A plan of rules, unless it would touch more than what rules are written in."""
        from velpin.change.readback import check_rules

        if plan.edits and not plan.unchanged:
            check_rules(self, self.with_edits(plan.edits), self.rule_fields)
        return plan

    def rules(self) -> list[Rule]:
        """Every rule in force, what each decides, and which decide nothing."""
        found: list[Rule] = self._ask("rules.told", "rules")(self)
        return found
