"""The command that goes from what is wanted to the rules for it."""

from __future__ import annotations

import sys
from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

from velpin.change.want import Goal, Way, ask_plainly, find_ways, goals_of, is_met
from velpin.errors import Refusal, UsageError
from velpin.front.changing import How, write_plan
from velpin.front.plan_view import show_moved, show_shift
from velpin.front.screen import Screen
from velpin.front.session import busy, choose, tell
from velpin.front.words import several, shortened

if TYPE_CHECKING:
    from velpin.kinds.base import Host
    from velpin.model import Forecast

_MOST_MOVED = 5


def want(host: Host, texts: Sequence[str], source: str, take: int, how: How) -> None:
    """Find the best ways to what is wanted, show them with their shifts, make the chosen one."""
    goals = goals_of(host, texts, source)
    plain = ask_plainly(host, goals)
    if is_met(host, plain, goals):
        _tell_met(plain, goals, how)
        return
    with busy("trying what could do it"):
        ways = find_ways(host, goals)
    if not ways:
        raise Refusal(
            f"no small set of rules gives {_told(goals)}",
            f"why not: velpin forecast {' '.join(goal.request.text for goal in goals)}",
        )
    if take > len(ways):
        raise UsageError(f"there is no way {take}", f"there are {len(ways)}")
    if how.as_json and (how.preview or not (take or how.yes)):
        _write_json(ways, None)
        return
    if not how.as_json:
        _show(Screen(), goals, ways, how)
        sys.stdout.flush()
    if how.preview:
        tell("preview only: nothing was changed")
        return
    number = take or choose("Which one?", len(ways), yes=how.yes)
    way = ways[number - 1]
    entry = write_plan(host, way.plan)
    if how.as_json:
        _write_json(ways, entry)
        return
    Screen().line(
        ("done", "good"), f": {'; '.join(way.commands)}; journal entry {entry}; take it back with ",
        (f"velpin undo {entry}", "command"),
    )  # fmt: skip


def _told(goals: Sequence[Goal]) -> str:
    return ", ".join(
        f"{goal.answer.package} {goal.answer.version}"
        + ("" if goal.request.operator or goal.request.source else " or newer")
        for goal in goals
    )


def _tell_met(found: Forecast, goals: Sequence[Goal], how: How) -> None:
    if how.as_json:
        _write_json([], None)
        return
    names = {goal.answer.package for goal in goals}
    comes = [f"{one.package} {one.version}" for one in found.answers if one.package in names]
    told = f"{', '.join(comes)} {'is' if len(comes) == 1 else 'are'} what the host takes anyway"
    Screen().line(("nothing to do: ", "good"), told)


def _show(screen: Screen, goals: Sequence[Goal], ways: Sequence[Way], how: How) -> None:
    wanted = {goal.answer.package for goal in goals}
    screen.line((f"{several(len(ways), 'way')} to {_told(goals)}", "answer"), ", least shift first")
    for number, way in enumerate(ways, 1):
        screen.head(f"{number}.")
        for command in way.commands:
            screen.line((command, "command"), indent=2)
        if how.every:
            show_shift(screen, way.shift, every=True)
        else:
            show_moved(screen, way.shift, _MOST_MOVED)
            for line in _in_short(way, wanted):
                screen.line(line)


def _in_short(way: Way, wanted: set[str]) -> list[str]:
    lines = []
    if way.shift.kept:
        lines.append(f"keeps back {shortened([one.name for one in way.shift.kept])}")
    turned = [one.name for one in way.shift.turned if one.name not in wanted]
    if turned:
        lines.append(f"answers {several(len(turned), 'other name')} otherwise: {shortened(turned)}")
    more = [change for change in way.forecast.changes if change.name not in wanted]
    for told, names in (
        ("brings along", [change.name for change in more if change.new]),
        ("removes", [change.name for change in more if not change.new]),
    ):
        if names:
            lines.append(f"what is wanted then {told} {shortened(names)}")
    return lines


def _write_json(ways: Sequence[Way], entry: int | None) -> None:
    from velpin.front import as_json as out

    told: list[dict[str, Any]] = [
        {
            "commands": list(way.commands),
            "files": {f: out.content(data) for f, data in way.plan.edits.items()},
            "shift": out.of_shift(way.shift),
        }
        for way in ways
    ]
    out.write({"ways": told, "entry": entry})
