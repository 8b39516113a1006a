"""Back to the other sources: what becomes of packages that came from a source that is dropped.

Each is asked for as if it were not installed, on the host without the source and without the rules
about it; what that gives is the version to go back to. All of them are one transaction if that can
be, else as many of them as the installer would carry out together.
"""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from velpin.core.forecasting import forecast, requests_of
from velpin.core.rule_plans import considering, plan_lift
from velpin.core.source_plans import plan_drop
from velpin.model.reasons import InNoOtherSource
from velpin.model.rule import Prefer, sources_in
from velpin.model.way_back import GoingBack, WayBack
from velpin.ports.configuration import find_source
from velpin.store.amended import Amendment

if TYPE_CHECKING:
    from collections.abc import Sequence

    from velpin.change.plan import Plan
    from velpin.model.forecast import Forecast
    from velpin.model.reason import Reason
    from velpin.model.rule import Rule
    from velpin.model.shift import Selection
    from velpin.ports.bundle import Ports
    from velpin.ports.packages import Installed

_MOST_TRIED = 40
"""Packages that are tried one after the other if they cannot all go back together."""


def plan_drop_and_back(ports: Ports, handle: str) -> tuple[Plan, WayBack]:
    """Return the plan that takes a source away with the rules about it, and the way back.

    Raises Refusal if taking it away would do more.
    """
    source = find_source(ports.configuration.by_handle, handle)
    plan, before = _rules_lifted(ports, source.handle), ports
    if plan is not None:
        before = considering(ports, plan)
    dropped = plan_drop(before, source.handle)
    whole = plan.then(dropped) if plan is not None else dropped
    whole.handles = [source.handle]
    came = [here for here in ports.packages.installed() if here.source == source.handle]
    return whole, way_back(considering(ports, whole), came)


def _rules_lifted(ports: Ports, handle: str) -> Plan | None:
    """The plan that takes back what rules say of a source; None if none does."""
    named = [rule for rule in ports.rules.recorded() if handle in sources_in(rule)]
    return plan_lift(ports, [_about(rule, handle) for rule in named]) if named else None


def _about(rule: Rule, handle: str) -> Rule:
    """The part of a rule that is about a source."""
    if isinstance(rule, Prefer) and rule.source != handle:
        only = (handle,)
        return replace(
            rule,
            over=only if handle in rule.over else (),
            under=only if handle in rule.under else (),
        )
    return rule


def way_back(after: Ports, came: Sequence[Installed]) -> WayBack:
    """Return what packages from a source that is gone go back to, on the host without it."""
    others = _others(after, came)
    texts = {
        here: f"{_named(after, here)}@{other.version}"
        for here, other in zip(came, others, strict=True)
        if other is not None and other.version != here.version
    }
    found = forecast(after, list(texts.values()), allow_older=True) if texts else None
    refused: dict[Installed, Reason | None] = {}
    if found is not None and not found.ok:
        found, refused = _as_many_as_can(after, texts)
    rows = [
        _row(here, other, refused) for here, other in zip(came, others, strict=True)
    ]  # fmt: skip
    return WayBack(tuple(sorted(rows, key=lambda row: (row.name, row.arch))), found)


def _named(after: Ports, here: Installed) -> str:
    foreign = here.arch in after.configuration.foreign_archs
    return f"{here.name}:{here.arch}" if foreign else here.name


def _others(after: Ports, came: Sequence[Installed]) -> list[Selection | None]:
    """What each of some packages would be if it were installed anew."""
    record = after.indexes.record
    rows = {
        row.id
        for here in came
        for row in (record.rows(here.name) if record else ())
        if row.version == here.version
    }
    without = after.seen(after.view.amended(Amendment(frozenset(rows))))
    return [without.answers.first(here.name) for here in came]


def _row(
    here: Installed, other: Selection | None, refused: dict[Installed, Reason | None]
) -> GoingBack:
    if other is None:
        return GoingBack(here.name, here.arch, here.version, None, None, InNoOtherSource())
    if here in refused:
        return GoingBack(here.name, here.arch, here.version, None, None, refused[here])
    return GoingBack(here.name, here.arch, here.version, other.version, other.source)


def _as_many_as_can(
    after: Ports, texts: dict[Installed, str]
) -> tuple[Forecast | None, dict[Installed, Reason | None]]:
    """The packages that can go back together, taken one more at a time; why the others cannot."""
    taken: list[str] = []
    refused: dict[Installed, Reason | None] = {}
    for number, (here, text) in enumerate(texts.items()):
        if number >= _MOST_TRIED:
            refused[here] = None
            continue
        asked = requests_of(after, [*taken, text], allow_older=True)
        trial = after.transactions.predict(asked).forecast
        if trial.ok:
            taken.append(text)
        else:
            refused[here] = next(iter(trial.because), trial.problem)
    found = forecast(after, taken, allow_older=True) if taken else None
    return found, refused
