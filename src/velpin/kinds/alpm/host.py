"""An alpm host as the rest of Velpin asks it: every question, answered by its module.

Those modules are read when they are needed, so that a forecast starts fast.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from functools import cached_property
from typing import TYPE_CHECKING

from velpin.errors import HostFileError, no_realign
from velpin.kinds.alpm.state import AlpmState
from velpin.model import Forecast, Note, Offer, Place

if TYPE_CHECKING:
    from velpin.about import HostFacts, KeyUse, Met, Refreshed, Standing
    from velpin.change.plan import Plan, SourceWish
    from velpin.fetch.download import Login, Transport
    from velpin.recipes.recipe import Meeting, RecipeFormat
    from velpin.shifts import AfterUpgrade, Pictured, Turned
    from velpin.wish import Rule, Wish


class AlpmHost(AlpmState):
    """One alpm host."""

    snippet_endings = (".conf",)

    # -- looking -------------------------------------------------------------------------

    def facts(self) -> HostFacts:
        """What host this is."""
        from velpin.about import HostFacts

        dates = [self.copies[source.handle].date for source in self.sources if source.on]
        known = [date for date in dates if date]
        standings = [self.state_of(source) for source in self.sources]
        installed = list(self.pool.all_installed())
        return HostFacts(
            kind=self.kind,
            release=self.release,
            arch=self.native,
            foreign=tuple(self.archs[1:]),
            on=sum(source.on for source in self.sources),
            off=sum(not source.on for source in self.sources),
            not_fetched=standings.count("not fetched"),
            oldest=min(known, default=None),
            newest=max(known, default=None),
            installed=len(installed),
            held=sum(self.ignored.why(one) is not None for one in installed),
            notes=tuple(self.notes()),
        )

    def notes(self) -> Iterable[Note]:
        """Everything odd that was found in the host's files."""
        yield from (Note(Place(one.file, one.line), one.what) for one in self.config.errors)
        yield from self.config.notes
        for _, text in self.record.notes if self.record else ():
            yield Note(Place(f"{self.database}/local", 0), text)

    def skipped(self) -> list[tuple[str, str]]:
        """Files in the host's own places that its installer passes over: it has none."""
        return []

    def refused(self) -> HostFileError | None:
        """The file because of which the installer refuses every request, if there is one."""
        return self.refusal()

    def standings(self) -> list[Standing]:
        """Every source in the order in which it wins."""
        from velpin.kinds.alpm.standing import standings

        return standings(self)

    def keys(self) -> list[KeyUse]:
        """Every key that vouches for something, and for what."""
        from velpin.kinds.alpm.trust import key_uses

        return key_uses(self)

    # -- building --------------------------------------------------------------------------

    @property
    def recipe_format(self) -> RecipeFormat:
        """How recipes are written for this kind of host."""
        from velpin.kinds.alpm.recipes import SourceInfo

        return SourceInfo()

    def meeting(self, relation: str) -> Meeting | None:
        """What meets a relation as recipes write it."""
        from velpin.kinds.alpm.meeting import meeting

        return meeting(self, relation)

    # -- choosing ------------------------------------------------------------------------

    def forecast(self, texts: Sequence[str], source: str = "") -> Forecast:
        """Predict one transaction for all requests together."""
        from velpin.kinds.alpm.forecast import forecast

        return forecast(self, texts, source)

    def forecast_upgrade(self, *, realign: bool = False) -> Forecast:
        """Predict the full upgrade of the host."""
        from velpin.kinds.alpm.forecast import forecast_upgrade

        if realign:
            raise no_realign(self.kind)
        return forecast_upgrade(self)

    def offers(self, names: Iterable[str]) -> list[Offer]:
        """Every offer of some names, newest first."""
        from velpin.kinds.alpm.offers import offers_of

        return offers_of(self, names)

    def offers_from(self, handle: str, glob: str = "*") -> list[Offer]:
        """What one source offers."""
        from velpin.kinds.alpm.offers import offers_from

        return offers_from(self, handle, glob)

    def near_names(self, name: str) -> tuple[str, ...]:
        """Names like one that is not known."""
        from velpin.kinds.alpm.forecast import near_names

        return near_names(self, name)

    def find(self, text: str, most: int = 40) -> tuple[list[Met], int]:
        """Names and summaries that hold the words of a text, best first."""
        from velpin.kinds.alpm.offers import find

        return find(self, text, most)

    # -- the whole host ------------------------------------------------------------------

    def came_from(self, handle: str) -> list[str]:
        """Installed packages whose version the host takes from a source."""
        from velpin.kinds.alpm.whole import came_from

        return came_from(self, handle)

    def after_upgrade(self) -> AfterUpgrade:
        """How every installed package would stand after the full upgrade."""
        return self._after_upgrade

    @cached_property
    def _after_upgrade(self) -> AfterUpgrade:
        from velpin.kinds.alpm.whole import after_upgrade

        return after_upgrade(self)

    def pictured(self, watched: Iterable[str]) -> list[Pictured]:
        """How every installed package stands, and some names that may not be installed."""
        from velpin.kinds.alpm.whole import pictured

        return pictured(self, watched)

    def turned_since(self, before: AlpmHost) -> Iterator[Turned]:
        """Names that are not installed and would be answered otherwise than before."""
        from velpin.kinds.alpm.whole import turned

        return turned(before, self)

    # -- fetching ------------------------------------------------------------------------

    def fetch_proxies(self) -> Mapping[str, str]:
        """Proxies of the installer's configuration: it knows none."""
        return {}

    def fetch_logins(self) -> Sequence[Login]:
        """Logins for private sources: they stand in the addresses themselves."""
        return []

    def refresh(
        self,
        handle: str,
        transport: Transport,
        *,
        accept_changed: bool = False,
        files: bool = False,
    ) -> Refreshed:
        """Fetch and check the list of one source; failures are returned."""
        from velpin.kinds.alpm.refresh import refresh_source

        return refresh_source(self, self.source(handle), transport, files=files)

    def read_indexes(self, handle: str) -> tuple[int, list[Note]]:
        """Parse the list of a source now; how many offers it holds, and what was odd."""
        source = self.source(handle)
        index = self.index(source)
        path = self.copies[handle].path
        if index is None or path is None:
            return 0, []
        return index.count, [Note(Place(path.name, line), text) for line, text in index.notes]

    # -- changing ------------------------------------------------------------------------

    def plan_add(self, wish: SourceWish, transport: Transport) -> Plan:
        """What adding a source would write."""
        from velpin.kinds.alpm.add import plan_add

        return plan_add(self, wish, transport)

    def plan_switch(self, handle: str, on: bool) -> Plan:
        """What switching a source on or off would write."""
        from velpin.change.plan import Plan
        from velpin.kinds.alpm.edit import switch

        source = self.source(handle)
        word = "on" if on else "off"
        plan = Plan(f"velpin {word} {source.handle}", f"switch {source.handle} {word}")
        plan.handles = [source.handle]
        plan.propose(self.tree, switch(self.tree, source, on) if source.on != on else {})
        return plan

    def plan_drop(self, handle: str) -> Plan:
        """What taking a source away would write."""
        from velpin.change.plan import Plan
        from velpin.kinds.alpm.edit import drop

        source = self.source(handle)
        plan = Plan(f"velpin drop {source.handle}", f"drop source {source.handle}")
        plan.handles = [source.handle]
        plan.propose(self.tree, drop(self.tree, source))
        return plan

    def plan_wishes(self, wishes: Sequence[Wish], *, foremost: bool = False) -> Plan:
        """What making some wishes would write."""
        from velpin.kinds.alpm.rules.plan import plan_wishes

        return plan_wishes(self, wishes, foremost=foremost)

    def plan_lift(self, wishes: Sequence[Wish]) -> Plan:
        """What taking back some wishes would write."""
        from velpin.kinds.alpm.rules.plan import plan_lift

        return plan_lift(self, wishes)

    def plan_rule_drop(self, place: Place) -> Plan:
        """What taking away one rule would write, whoever wrote it."""
        from velpin.kinds.alpm.rules.plan import plan_rule_drop

        return plan_rule_drop(self, place)

    def rules(self) -> list[Rule]:
        """Every rule in force, what each decides, and which decide nothing."""
        from velpin.kinds.alpm.rules.told import rules

        return rules(self)
