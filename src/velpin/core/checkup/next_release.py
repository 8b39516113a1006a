"""A rehearsal of the host's move to another release: nothing of it is made.

Every source is asked, with the host's own keys, whether it has that release; what has none would be
switched off. Under these edits the whole host is forecast.
"""

from __future__ import annotations

from collections.abc import Hashable, Iterator, Sequence
from typing import TYPE_CHECKING

from velpin.change.plan import Plan
from velpin.core.checkup.examination import Examination
from velpin.core.forecasting import forecast_upgrade
from velpin.core.host_diff import after_upgrade
from velpin.errors import FetchError, NotThere, VelpinError
from velpin.model import findings
from velpin.model.finding import Handover, NextOutlook, NextState, Rehearsal
from velpin.model.shift import Selection
from velpin.ports.configuration import find_source

if TYPE_CHECKING:
    from velpin.fetch.download import Transport
    from velpin.files.tree import Edits
    from velpin.model.rule import RuleInForce
    from velpin.model.source import Source
    from velpin.ports.bundle import Ports
    from velpin.ports.next_release import Move, NextRelease
    from velpin.ports.packages import Installed


def rehearse(
    ports: Ports, release: str, transport: Transport
) -> tuple[Rehearsal, Plan]:  # fmt: skip
    """What a move to a release would do, and the edits that it would take."""
    told = ports.next_releases.moves_to(release, transport, Examination(ports).is_home)
    plan = Plan("", f"move the sources to {told.release}")
    outlooks: list[NextOutlook] = []
    state = ports.with_edits(told.told)
    whole: dict[str, bytes | None] = {}
    for move in told.moves:
        state, edits, outlook = _moved(ports, state, told, move, transport)
        whole.update(edits)
        outlooks.append(outlook)
    plan.propose(ports.tree, {f: data for f, data in whole.items() if data != ports.tree.read(f)})
    after = ports.with_edits({**told.told, **plan.edits})
    forecast = forecast_upgrade(after, realign=after.transactions.realigns)
    result = after_upgrade(after, forecast)
    installed = list(ports.packages.installed())
    fate = _Fates(ports, after, installed)
    for here in installed:
        _, selection = result.selections.get((here.name, here.arch), ("", None))
        fate.take(here, selection)
    found = Rehearsal(
        release=told.release,
        sources=tuple(outlooks),
        change_hands=tuple(fate.handed),
        stay_behind=tuple(sorted(set(fate.behind))),
        removed=tuple(sorted(set(fate.removed))),
        kept_back=result.held_back,
        rules=tuple(_stopped(ports.rules.in_force(), after.rules.in_force())),
        upgraded=fate.upgraded,
        download_bytes=forecast.download_bytes,
        problem=forecast.problem,
        because=forecast.because,
    )
    return found, plan


def _moved(
    ports: Ports, state: Ports, told: NextRelease, move: Move,
    transport: Transport,
) -> tuple[Ports, Edits, NextOutlook]:  # fmt: skip
    """The host with one more source moved, what that edits, and what the source has."""
    source = find_source(ports.configuration.by_handle, move.handle)
    if not source.on:
        return state, {}, NextOutlook(move.handle, "off", move.now, move.then)
    edits = dict(move.edits(state)) if move.edits else {}
    after = state.with_edits(edits)
    there = move.find(after) if move.find else _same(after, ports.editor.key_of(source))
    error: VelpinError | None = FetchError(f"{move.handle} is not found there any more")
    if there is not None:
        error = after.fetcher.fetch(there, transport, ()).error
    if error is None:
        outlook: NextState = "has" if move.now != move.then else "stays"
        return after, edits, NextOutlook(move.handle, outlook, move.now, move.then)
    problem = findings.NotForNext(source=move.handle, what=error.message)
    outlook = "lacks" if isinstance(error, NotThere) else "unknown"
    now = _same(state, ports.editor.key_of(source))
    off = dict(state.editor.switched(now, False)) if now else {}
    found = NextOutlook(move.handle, outlook, move.now, move.then, problem)
    return state.with_edits(off), off, found


def _same(ports: Ports, key: Hashable) -> Source | None:
    """A source that is on, by what it is known by: its handle may change with others."""
    return next(
        (
            each
            for each in ports.configuration.sources
            if each.on and ports.editor.key_of(each) == key
        ),
        None,
    )


class _Fates:
    """What becomes of each installed package."""

    def __init__(self, before: Ports, after: Ports, installed: Sequence[Installed]) -> None:
        self._before, self._after = before, after
        self._owners: dict[tuple[bool, str], str] = {}
        self.handed: list[Handover] = []
        self.behind: list[str] = []
        self.removed: list[str] = []
        self.upgraded = 0

    def take(self, here: Installed, then: Selection | None) -> None:
        """Take one package in."""
        if then is None:
            self.removed.append(here.name)
            return
        self.upgraded += then.version != here.version
        if not then.source:
            if here.source:
                self.behind.append(here.name)
            return
        was = self._owner(here.source, after=False) if here.source else ""
        now = self._owner(then.source, after=True)
        if was and was != now:
            self.handed.append(
                Handover(here.name, here.arch, here.version, here.source, then.version, then.source)
            )

    def _owner(self, handle: str, *, after: bool) -> str:
        key = (after, handle)
        if key not in self._owners:
            ports = self._after if after else self._before
            source = ports.configuration.by_handle.get(handle)
            self._owners[key] = ports.provenance.publisher_of(source) if source else handle
        return self._owners[key]


def _stopped(
    before: Sequence[RuleInForce], after: Sequence[RuleInForce]
) -> Iterator[RuleInForce]:  # fmt: skip
    """Rules that decide something now and nothing then."""
    now = {(rule.place, rule.says.code): rule for rule in after}
    for rule in before:
        then = now.get((rule.place, rule.says.code))
        if rule.dead is None and then is not None and then.dead is not None:
            yield then
