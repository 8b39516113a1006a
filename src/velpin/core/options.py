"""From what is wanted to the smallest change under which the forecast gives it.

Every way that could do is made on an overlay: pins, the preferring of a source, switching one
on, dropping the rule that stands in the way. Where what is wanted needs other packages in
versions that would not come, those are pinned as well. Only ways that the forecast proves are
kept, the fewest rules first, then those that move least of the rest of the host.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import partial
from itertools import islice
from typing import TYPE_CHECKING, NamedTuple

from velpin.change.plan import Plan
from velpin.core.forecasting import bare_forecast, forecast, refused
from velpin.core.host_diff import after_upgrade
from velpin.core.offers import offers_of
from velpin.core.rule_plans import plan_rule_drop, plan_rules
from velpin.core.shift import shift_between
from velpin.core.source_plans import plan_switch
from velpin.errors import Refusal, VelpinError
from velpin.model.forecast import Answer, Forecast
from velpin.model.reason import Place, Reason, place_of
from velpin.model.reasons import WouldDo
from velpin.model.request import Request, parse_request
from velpin.model.rule import Confine, Pin, Prefer, Rule
from velpin.model.shell import as_typed, shell_word
from velpin.model.shift import Shift

if TYPE_CHECKING:
    from velpin.ports.bundle import Ports

_MOST_TRIED = 8
_MOST_SHOWN = 3
_MOST_RULES = 6
_MOST_STEPS = 12
"""Hosts on which one attempt is completed, before it is given up."""


class Goal(NamedTuple):
    """One package that is wanted, as it would be got by asking for just that."""

    request: Request
    answer: Answer


class PlanOption(NamedTuple):
    """One change under which the forecast gives what is wanted."""

    plan: Plan
    commands: tuple[str, ...]
    shift: Shift
    forecast: Forecast
    goes_stale: tuple[str, ...] = ()
    """Packages that nobody asked for and that are pinned to one version: they get no update any
    more until the pin is changed."""


@dataclass(slots=True)
class _Attempt:
    """A change in the making: the host so far, its plan, and the rules in it."""

    ports: Ports
    plan: Plan
    commands: tuple[str, ...] = ()
    rules: tuple[Rule, ...] = ()


def goals_of(ports: Ports, texts: Sequence[str], source: str = "") -> list[Goal]:
    """What is wanted, each with the answer that asking for it by version or source gets.

    Raises Refusal where no source has it, not even one that is switched off.
    """
    found = []
    for text in texts:
        request = parse_request(text, ports.packages.knows, source)
        answer = _asked(ports, request)
        if answer.version is None:
            for other in _made_visible(ports, [request]):
                answer = _asked(other.ports, request)
                if answer.version:
                    break
        if answer.version is None:
            raise Refusal(f"no source has {text}", _hint(answer))
        found.append(Goal(request, answer))
    return found


def _hint(answer: Answer) -> str:
    return f"there is {', '.join(answer.near)}" if answer.near else "velpin find TEXT searches"


def _asked(ports: Ports, request: Request) -> Answer:
    found = bare_forecast(ports, [request.text], request.source)
    if not found.answers:
        raise refused(ports) or Refusal(
            "the host's installer would refuse every request",
            f"velpin forecast {shell_word(request.text)} tells why",
        )
    return found.answers[0]


def is_met(ports: Ports, found: Forecast, goals: Sequence[Goal]) -> bool:
    """Whether a forecast of the bare names gives what is wanted: a version or source that was
    asked for, else what asking for the name gets, or something newer."""
    return found.ok and all(
        any(_gives(ports, answer, goal) for answer in found.answers) for goal in goals
    )


def _gives(ports: Ports, answer: Answer, goal: Goal) -> bool:
    wanted = goal.answer
    if answer.package != wanted.package or not (answer.version and wanted.version):
        return False
    if goal.request.source:
        return (answer.version, answer.source) == (wanted.version, wanted.source)
    if goal.request.operator:
        return answer.version == wanted.version
    return ports.packages.compare(answer.version, wanted.version) >= 0


def ask_plainly(ports: Ports, goals: Sequence[Goal]) -> Forecast:
    """The forecast of the bare names."""
    return bare_forecast(ports, [_bare(goal.request) for goal in goals])


def _bare(request: Request) -> str:
    return f"{request.name}:{request.arch}" if request.arch else request.name


class WantedOptions(NamedTuple):
    """What is wanted, and the best changes for it."""

    goals: tuple[Goal, ...]
    met_by: Forecast | None
    """The forecast of the bare names where that gives it already."""
    options: tuple[PlanOption, ...]
    """At most four, the smallest shift first; none where no small set of rules does it."""


def options_for(ports: Ports, texts: Sequence[str], source: str = "") -> WantedOptions:
    """The smallest changes under which requests get what they ask for.

    Raises Refusal where no source has it, not even one that is switched off.
    """
    goals = goals_of(ports, texts, source)
    plain = ask_plainly(ports, goals)
    if is_met(ports, plain, goals):
        met_by = forecast(ports, [_bare(goal.request) for goal in goals])
        return WantedOptions(tuple(goals), met_by, ())
    return WantedOptions(tuple(goals), None, tuple(find_options(ports, goals)))


def find_options(ports: Ports, goals: Sequence[Goal]) -> list[PlanOption]:
    """The best options, at most three, best first, and one that pins versions if there is one and
    it is none of them; none where nothing does it."""
    found: list[PlanOption] = []
    names = {goal.answer.package for goal in goals}
    was = after_upgrade(ports)  # once for all shifts
    for attempt in islice(_attempts(ports, goals), _MOST_TRIED):
        for whole, told in _completed_both_ways(ports, attempt, goals):
            if len(found) == _MOST_TRIED:
                break
            if not any(_is_more(whole, way) for way in found):
                shift = shift_between(ports, whole.ports, was=lambda: was)
                stale = _goes_stale(whole.rules, names)
                found.append(PlanOption(whole.plan, whole.commands, shift, told, stale))
    found = [way for way in found if not any(set(o.commands) < set(way.commands) for o in found)]
    ordered = sorted(found, key=lambda way: _cost(way, names))
    shown, rest = ordered[:_MOST_SHOWN], ordered[_MOST_SHOWN:]
    if not any(way.goes_stale for way in shown):
        shown += [way for way in rest if way.goes_stale][:1]
    return shown


def _goes_stale(rules: Sequence[Rule], wanted: set[str]) -> tuple[str, ...]:
    pins = (rule for rule in rules if isinstance(rule, Pin) and rule.version)
    return tuple(name for pin in pins for name in pin.names if name not in wanted)


def _is_more(attempt: _Attempt, way: PlanOption) -> bool:
    """Whether an attempt is a way that is known, or that with something on top."""
    return attempt.plan.edits == way.plan.edits or set(way.commands) <= set(attempt.commands)


def _cost(way: PlanOption, wanted: set[str]) -> tuple[int, int, int, int]:
    others = [moved for moved in way.shift.upgrades if moved.name not in wanted]
    moved = len(others) + len(way.shift.held_back)
    return len(way.commands), len(way.goes_stale), moved, len(way.shift.answers)


# -- ways that could do ------------------------------------------------------------------


def _attempts(ports: Ports, goals: Sequence[Goal]) -> Iterator[_Attempt]:
    start = _Attempt(ports, Plan("", ""))
    if any(_asked(ports, goal.request).version is None for goal in goals):
        for attempt in _made_visible(ports, [goal.request for goal in goals]):
            yield attempt
            yield from _with_rules(attempt, goals)
        return
    yield start
    yield from _with_rules(start, goals)
    yield from _without_rules(start, goals)
    yield from _uncovered(ports, [goal.request for goal in goals])


def _made_visible(ports: Ports, requests: Sequence[Request]) -> Iterator[_Attempt]:
    """The host with one change that makes offers of some package known, made as they are tried."""
    yield from _with_sources_on(ports, requests)
    yield from _uncovered(ports, requests)


def _with_sources_on(ports: Ports, requests: Sequence[Request]) -> Iterator[_Attempt]:
    """The host with one source switched on that has some package."""
    names = [request.name for request in requests]
    off = {offer.source for offer in offers_of(ports, names) if offer.state == "source off"}
    for handle in sorted(off):
        plan = _tried(partial(plan_switch, ports, handle, True))
        if plan is not None:
            yield _Attempt(ports.with_edits(plan.edits), plan, (plan.command,))


def _uncovered(ports: Ports, requests: Sequence[Request]) -> Iterator[_Attempt]:
    """The host with one of the settings changed that hide offers of some package."""
    command = as_typed(["velpin", "want", *(request.text for request in requests)])
    for name in dict.fromkeys(request.name for request in requests):
        for way in ports.rule_writer.uncovering(name):
            plan = Plan(command, way.command)
            plan.propose(ports.tree, way.edits)
            plan.notes += ports.editor.edit_notes(plan.edits)
            yield _Attempt(ports.with_edits(plan.edits), plan, (way.command,))


def _with_rules(start: _Attempt, goals: Sequence[Goal]) -> Iterator[_Attempt]:
    for rules in _rules_for(start.ports, goals):
        made = _add(start, rules)
        if made:
            yield made


def _rules_for(ports: Ports, goals: Sequence[Goal]) -> Iterator[list[Rule]]:
    goes_back = [_asked(ports, goal.request).outcome == "downgrade" for goal in goals]
    pairs = list(zip(goals, goes_back, strict=True))
    if any(goal.request.operator for goal in goals):
        yield [_pin(goal, older, version=True) for goal, older in pairs]
    letting = [_letting(ports, goal.answer.package, goal.answer.source or "") for goal in goals]
    allowed = [rule for each in letting for rule in each]
    if allowed:
        yield allowed
    if all(goal.answer.source for goal in goals):
        yield [_pin(goal, older, version=False) for goal, older in pairs]
    if not any(goes_back):
        plain = ask_plainly(ports, goals)
        yield from _preferences(goals, plain)


def _pin(goal: Goal, older: bool, *, version: bool) -> Rule:
    request = goal.request
    source = request.source if version else goal.answer.source or ""
    asked = (request.version if request.operator == "=" else goal.answer.version) or ""
    names = (_bare(request),)
    return Pin(names, asked if version else "", source, allow_older=older)


def _preferences(goals: Sequence[Goal], plain: Forecast) -> Iterator[list[Rule]]:
    """The wanted sources over those that win now."""
    winners = {answer.package: answer.source for answer in plain.answers}
    found: dict[str, dict[str, None]] = {}
    for goal in goals:
        winner = winners.get(goal.answer.package)
        if goal.answer.source and winner and winner != goal.answer.source:
            found.setdefault(goal.answer.source, {})[winner] = None
    if found:
        yield [Prefer(handle, tuple(over)) for handle, over in found.items()]


def _without_rules(start: _Attempt, goals: Sequence[Goal]) -> Iterator[_Attempt]:
    """The host without a record that gives the wanted version, or the one that wins, its number."""
    plain = ask_plainly(start.ports, goals)
    places: dict[Place, None] = {}
    for answer in plain.answers:
        reasons = [*answer.reasons, *(passed.why for passed in answer.passed_over)]
        places.update((place, None) for reason in reasons if (place := place_of(reason)))
    for place in places:
        made = _tried(partial(plan_rule_drop, start.ports, place))
        if made:
            yield _joined(start, made, ())


def _tried(make: Callable[[], Plan]) -> Plan | None:
    """A plan that does what it is for and changes something; None where there is none."""
    try:
        plan = make()
    except VelpinError:
        return None
    return None if plan.error or plan.unmet or plan.unchanged else plan


def _add(attempt: _Attempt, rules: Sequence[Rule]) -> _Attempt | None:
    made = _tried(lambda: plan_rules(attempt.ports, rules))
    return _joined(attempt, made, rules) if made else None


def _joined(attempt: _Attempt, made: Plan, rules: Iterable[Rule]) -> _Attempt:
    ports = attempt.ports.with_edits(made.edits)
    commands = (*attempt.commands, *made.command.split(" && "))
    plan = attempt.plan.then(made)
    return _Attempt(ports, plan, commands, (*attempt.rules, *rules))


# -- what is wanted needs more -----------------------------------------------------------


def _completed_both_ways(
    ports: Ports, attempt: _Attempt, goals: Sequence[Goal]
) -> Iterator[tuple[_Attempt, Forecast]]:
    """An attempt completed by rules that last, and by pins to versions, if it takes any."""
    for lasting in (True, False):
        for whole, found in _completed(ports, attempt, goals, lasting=lasting):
            yield whole, found
            if whole is attempt:
                return


def _completed(
    ports: Ports, attempt: _Attempt, goals: Sequence[Goal], *, lasting: bool
) -> Iterator[tuple[_Attempt, Forecast]]:
    """An attempt with rules for what else has to come, each way that does, the fewest first,
    and its forecast."""
    waiting = [attempt]
    for _ in range(_MOST_STEPS):
        if not waiting:
            return
        here = waiting.pop(0)
        found = ask_plainly(here.ports, goals)
        if is_met(ports, found, goals):
            yield here, found
        elif not found.ok and len(here.rules) < _MOST_RULES:
            for rules in _helping(here, found.because, lasting=lasting):
                made = filter(None, (_add(here, [rule]) for rule in rules))
                waiting += islice(made, 1)


def _helping(
    attempt: _Attempt, chain: Iterable[Reason], *, lasting: bool
) -> Iterator[Iterable[Rule]]:
    """Rules for versions that would meet what cannot be had; of several for one the first that
    this kind of host can express counts."""
    done = {name for rule in attempt.rules for name in rule.names}
    for name, version, source in _would_do(chain):
        if name not in done:
            yield from ((rule,) for rule in _letting(attempt.ports, name, source))
            yield _bringing(attempt.ports, name, version, source, lasting=lasting)


def _bringing(
    ports: Ports, name: str, version: str, source: str, *, lasting: bool
) -> Iterator[Rule]:
    """A pin to the source of a version, or to the version; else its source over the one that wins,
    which is only then asked for."""
    if lasting and source:
        yield Pin((name,), source=source)
    yield Pin((name,), version)
    winner = bare_forecast(ports, [name]).answers[0].source
    if source and winner:
        yield Prefer(source, (winner,))


def _would_do(chain: Iterable[Reason]) -> Iterator[tuple[str, str, str]]:
    """Name, version and source of what would meet a relation."""
    for reason in chain:
        if isinstance(reason, WouldDo):
            yield reason.name, reason.version, reason.source
        yield from _would_do(reason.because)


def _letting(ports: Ports, name: str, source: str) -> Iterator[Rule]:
    """The rule that lets a confined source give one more package, whole as it will be."""
    for in_force in ports.rules.in_force():
        rule = in_force.rule
        if isinstance(rule, Confine) and rule.source == source:
            yield replace(rule, names=(*rule.names, name))
            return
