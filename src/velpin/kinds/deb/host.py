"""A deb host as the rest of Velpin asks it: every question, answered by the module it is for.

Those modules are read when they are needed, so that a forecast starts fast.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from functools import cached_property
from typing import TYPE_CHECKING

from velpin.errors import HostFileError, no_realign
from velpin.kinds.deb import KIND
from velpin.kinds.deb.sources import DebSource
from velpin.kinds.deb.state import DebState
from velpin.model import Forecast, Note, Offer, Place

if TYPE_CHECKING:
    from velpin.about import HostFacts, KeyUse, Met, Standing
    from velpin.change.plan import Plan, SourceWish
    from velpin.fetch.download import Login, Transport
    from velpin.kinds.deb.refresh import DebRefreshed
    from velpin.recipes.recipe import Meeting, RecipeFormat
    from velpin.shifts import AfterUpgrade, Pictured, Turned
    from velpin.wish import Rule, Wish


class DebHost(DebState):
    """One deb host."""

    kind = KIND
    snippet_endings = (".list", ".sources")

    # -- looking -------------------------------------------------------------------------

    def facts(self) -> HostFacts:
        """What host this is."""
        from velpin.about import HostFacts

        dates = [self.copies[source.handle].release.date for source in self.sources if source.on]
        known = [date for date in dates if date]
        states = [row.state for row in self.installed_rows()]
        standings = [self.state_of(source) for source in self.sources]
        return HostFacts(
            kind=KIND,
            release=self.release,
            arch=self.native,
            foreign=self.archs[1:],
            on=sum(source.on for source in self.sources),
            off=sum(not source.on for source in self.sources),
            not_fetched=standings.count("not fetched"),
            oldest=min(known, default=None),
            newest=max(known, default=None),
            installed=len(states),
            held=sum(state.startswith("hold ") for state in states),
            notes=tuple(self.notes()),
        )

    def notes(self) -> Iterable[Note]:
        """Everything odd that was found in the host's files."""
        yield from (
            Note(Place(error.file, error.line), error.what) for error in self.source_files.errors
        )
        yield from self.source_files.notes
        if self.preferences.error:
            error = self.preferences.error
            yield Note(Place(error.file, error.line), error.what)
        yield from self.preferences.notes
        if self.record:
            for line, text in self.record.notes:
                yield Note(Place(self.record_file, line), text)

    def skipped(self) -> list[tuple[str, str]]:
        """Files in the host's own places that its installer passes over, and why."""
        return [*self.source_files.skipped, *self.preferences.skipped, *self.conf.skipped]

    def standings(self) -> list[Standing]:
        """Every source in the order in which it wins."""
        from velpin.kinds.deb.standing import standings

        return standings(self)

    # -- building --------------------------------------------------------------------------

    @property
    def recipe_format(self) -> RecipeFormat:
        """How recipes are written for this kind of host."""
        from velpin.kinds.deb.recipes import SourceControl

        return SourceControl(self.native)

    def meeting(self, relation: str) -> Meeting | None:
        """What meets a relation as recipes write it."""
        from velpin.kinds.deb.recipes import meeting

        return meeting(self, relation)

    # -- choosing, fetching, changing ------------------------------------------------------

    def forecast(self, texts: Sequence[str], source: str = "") -> Forecast:
        """Predict one transaction for all requests together."""
        from velpin.kinds.deb.forecast import forecast

        return forecast(self, texts, source)

    def forecast_upgrade(self, *, realign: bool = False) -> Forecast:
        """Predict the full upgrade of the host; it has no other."""
        if realign:
            raise no_realign(self.kind)
        from velpin.kinds.deb.forecast import forecast_upgrade

        return forecast_upgrade(self)

    def offers(self, names: Iterable[str]) -> list[Offer]:
        """Every offer of some names, newest first."""
        from velpin.kinds.deb.offers import offers_of

        return offers_of(self, names)

    def offers_from(self, handle: str, glob: str = "*") -> list[Offer]:
        """What one source offers."""
        from velpin.kinds.deb.offers import offers_from

        return offers_from(self, handle, glob)

    def near_names(self, name: str) -> tuple[str, ...]:
        """Names like one that is not known."""
        from velpin.kinds.deb.forecast import near_names

        return near_names(self, name)

    def find(self, text: str, most: int = 40) -> tuple[list[Met], int]:
        """Names and summaries that hold the words of a text, best first."""
        from velpin.kinds.deb.offers import find

        return find(self, text, most)

    def source(self, handle: str) -> DebSource:
        """The source with a handle; Refusal where there is none."""
        from velpin.kinds.deb.offers import find_source

        return find_source(self, handle)

    def fetch_proxies(self) -> dict[str, str]:
        """Proxies of the installer's configuration, by scheme."""
        named = {s: self.conf.get(f"Acquire::{s}::Proxy") for s in ("http", "https")}
        return {scheme: address for scheme, address in named.items() if address}

    def fetch_logins(self) -> list[Login]:
        """Logins for private sources."""
        from velpin.kinds.deb.logins import read_logins

        return read_logins(self.tree)

    def refresh(
        self,
        handle: str,
        transport: Transport,
        *,
        accept_changed: bool = False,
        files: bool = False,
    ) -> DebRefreshed:
        """Fetch and check the indexes of one source; failures are returned."""
        from velpin.kinds.deb.refresh import refresh_source

        source = self.source(handle)
        return refresh_source(self, source, transport, accept_changed=accept_changed)

    def read_indexes(self, handle: str) -> tuple[int, list[Note]]:
        """Parse the indexes of a source now; how many offers they hold, and what was odd."""
        indexes = [(path, self.index(path)) for path in self.copies[handle].files.values()]
        notes = [
            Note(Place(path.name, line), text)
            for path, index in indexes
            for line, text in index.notes
        ]
        return sum(index.count for _, index in indexes), notes

    def refused(self) -> HostFileError | None:
        """The file because of which the installer refuses every request, if there is one."""
        found = self.refusal()
        return found if isinstance(found, HostFileError) else None

    def plan_add(self, wish: SourceWish, transport: Transport) -> Plan:
        """What adding a source would write."""
        from velpin.kinds.deb.add import plan_add

        return plan_add(self, wish, transport)

    def plan_switch(self, handle: str, on: bool) -> Plan:
        """What switching a source on or off would write."""
        from velpin.change.plan import Plan
        from velpin.kinds.deb.edit import switch

        source = self.source(handle)
        word = "on" if on else "off"
        plan = Plan(f"velpin {word} {source.handle}", f"switch {source.handle} {word}")
        plan.handles = [source.handle]
        plan.propose(self.tree, switch(self.tree, source, on) if source.on != on else {})
        return plan

    def plan_drop(self, handle: str) -> Plan:
        """What taking a source away would write."""
        from velpin.change.plan import Plan
        from velpin.kinds.deb.edit import drop
        from velpin.kinds.deb.rules.noted import notes_on_drop

        source = self.source(handle)
        plan = Plan(f"velpin drop {source.handle}", f"drop source {source.handle}")
        plan.handles = [source.handle]
        plan.propose(self.tree, drop(self.tree, source))
        plan.notes += notes_on_drop(self, source.handle)
        return plan

    def plan_wishes(self, wishes: Sequence[Wish], *, foremost: bool = False) -> Plan:
        """What making some wishes would write."""
        from velpin.kinds.deb.rules.noted import notes_on
        from velpin.kinds.deb.rules.plan import plan_wishes

        plan = plan_wishes(self, wishes, foremost=foremost)
        plan.notes += notes_on(self, plan)
        return plan

    def plan_lift(self, wishes: Sequence[Wish]) -> Plan:
        """What taking back some wishes would write."""
        from velpin.kinds.deb.rules.plan import plan_lift

        return plan_lift(self, wishes)

    def plan_rule_drop(self, place: Place) -> Plan:
        """What taking away one rule would write, whoever wrote it."""
        from velpin.kinds.deb.rules.plan import plan_rule_drop

        return plan_rule_drop(self, place)

    def rules(self) -> list[Rule]:
        """Every rule in force, what each decides, and which decide nothing."""
        from velpin.kinds.deb.rules.told import rules

        return rules(self)

    def keys(self) -> list[KeyUse]:
        """Every key that vouches for something, and for what."""
        from velpin.kinds.deb.keyring import key_uses

        return key_uses(self)

    def came_from(self, handle: str) -> list[str]:
        """Installed packages whose version the host takes from a source."""
        found = []
        for name in self.installed_names():
            for package in self.packages(name).values():
                installed = package.installed
                if installed and installed.source == handle:
                    found.append(name)
        return sorted(set(found))

    def after_upgrade(self) -> AfterUpgrade:
        """How every installed package would stand after the full upgrade."""
        return self._after_upgrade

    @cached_property
    def _after_upgrade(self) -> AfterUpgrade:
        from velpin.kinds.deb.whole import after_upgrade

        return after_upgrade(self)

    def pictured(self, watched: Iterable[str]) -> list[Pictured]:
        """How every installed package stands, and some names that may not be installed."""
        from velpin.kinds.deb.whole import pictured

        return pictured(self, watched)

    def turned_since(self, before: DebHost) -> Iterator[Turned]:
        """Names that are not installed and would be answered otherwise than before."""
        from velpin.kinds.deb.whole import turned

        return turned(before, self)
