"""The command that finds the rules for what is wanted."""

from __future__ import annotations

import sys
from collections.abc import Sequence
from typing import TYPE_CHECKING

from velpin.core.options import Goal, PlanOption
from velpin.errors import Refusal, UsageError
from velpin.files.own_settings import shows_next
from velpin.front.changing import ChangeOptions
from velpin.front.next_view import show_next
from velpin.front.plan_view import show_shift, show_upgrades, show_verdict
from velpin.front.screen import Screen, signed
from velpin.front.session import busy, choose, tell
from velpin.front.words import several, shortened

if TYPE_CHECKING:
    from velpin.host.host import Host
    from velpin.model.forecast import Forecast

_MOST_UPGRADES = 5
_MOST_CAUSES = 3


def want(host: Host, texts: Sequence[str], source: str, take: int, how: ChangeOptions) -> None:
    """Find the best options for what is wanted, show them with their shifts, make the chosen
    one."""
    with busy("trying what could do it"):
        goals, met_by, options = host.changes.options(texts, source)
    if met_by is not None:
        _tell_met(host, met_by, goals, how)
        return
    if not options:
        raise Refusal(f"no small set of rules gives {_told(goals)}", _what_helps(host, goals))
    if take > len(options):
        raise UsageError(f"there is no option {take}", f"there are {len(options)}")
    if how.as_json and (how.preview or not (take or how.yes)):
        _write_json(options, None)
        return
    if not how.as_json:
        _show(Screen(), goals, options, how)
        sys.stdout.flush()
    if how.preview:
        tell("preview only: nothing was changed")
        return
    number = take or choose("Which one?", len(options), yes=how.yes)
    chosen = options[number - 1]
    following = host.considering(chosen.plan).forecast(texts, source).next
    entry = host.changes.apply(chosen.plan).number
    if how.as_json:
        _write_json(options, entry, following)
        return
    screen = Screen()
    screen.line(
        signed("done", "good"), f": {'; '.join(chosen.commands)}; journal entry {entry};"
        " undo it with ", (f"velpin undo {entry}", "command"),
    )  # fmt: skip
    if shows_next(host.tree):
        show_next(screen, following)


def _what_helps(host: Host, goals: Sequence[Goal]) -> str:
    """What was tried and does help where no rule does, or that nothing did, and why."""
    found = host.forecast([goal.request.text for goal in goals])
    if found.ok and found.next:
        return "it comes without any: " + "; ".join(found.next)
    if found.remedies:
        return "this helps (tried): " + "; ".join(remedy.command for remedy in found.remedies)
    causes = [reason.text for reason in found.because[:_MOST_CAUSES]]
    why = found.problem.text if found.problem else ""
    return "nothing that was tried helps: " + "; ".join(causes or [why])


def _told(goals: Sequence[Goal]) -> str:
    return ", ".join(
        f"{goal.answer.package} {goal.answer.version}"
        + ("" if goal.request.operator or goal.request.source else " or newer")
        for goal in goals
    )


def _tell_met(host: Host, found: Forecast, goals: Sequence[Goal], how: ChangeOptions) -> None:
    if how.as_json:
        _write_json([], None, found.next)
        return
    names = {goal.answer.package for goal in goals}
    comes = [
        f"{answer.package} {answer.version}" for answer in found.answers if answer.package in names
    ]
    told = f"{', '.join(comes)} {'is' if len(comes) == 1 else 'are'} what the host takes anyway"
    screen = Screen()
    screen.line(signed("nothing to do: ", "good"), told)
    if shows_next(host.tree):
        show_next(screen, found.next)


def _show(
    screen: Screen, goals: Sequence[Goal], options: Sequence[PlanOption], how: ChangeOptions
) -> None:
    wanted = {goal.answer.package for goal in goals}
    screen.line(
        (f"{several(len(options), 'option')} for {_told(goals)}", "answer"),
        ", smallest shift first",
    )
    for number, option in enumerate(options, 1):
        screen.head(f"{number}.")
        for command in option.commands:
            screen.line((command, "command"), indent=2)
        if option.goes_stale:
            names = ", ".join(option.goes_stale)
            told = f"goes stale: no update of {names} until the pin to this version goes"
            screen.line(signed(told, "warn"))
        elif any(other.goes_stale for other in options):
            screen.line(signed("lasts: newer versions from the same source come too", "good"))
        show_verdict(screen, option.shift, None)
        if how.every:
            show_shift(screen, option.shift, every=True)
        else:
            if option.shift.upgrades:
                show_upgrades(screen, option.shift.upgrades, _MOST_UPGRADES)
            for line in _in_short(option, wanted):
                screen.line(line)


def _in_short(option: PlanOption, wanted: set[str]) -> list[str]:
    lines = []
    if option.shift.held_back:
        lines.append(f"holds back {shortened([held.name for held in option.shift.held_back])}")
    others = [answer.name for answer in option.shift.answers if answer.name not in wanted]
    if others:
        lines.append(
            f"changes the answer for {several(len(others), 'other name')}: {shortened(others)}"
        )
    more = [change for change in option.forecast.changes if change.name not in wanted]
    for told, names in (
        ("also installs", [change.name for change in more if change.new]),
        ("removes", [change.name for change in more if not change.new]),
    ):
        if names:
            lines.append(f"your request then {told} {shortened(names)}")
    return lines


def _write_json(
    options: Sequence[PlanOption], entry: int | None, following: Sequence[str] = ()
) -> None:
    from velpin.front import json_values
    from velpin.front.documents import Option, Options

    json_values.write(Options([Option.of(option) for option in options], entry, following))
