"""How the rules of a host are shown."""

from __future__ import annotations

from collections.abc import Sequence

from velpin.front.screen import Piece, Screen
from velpin.front.words import several, shortened
from velpin.model.rule import RuleInForce

_MOST = 3


def show_rules(screen: Screen, rules: Sequence[RuleInForce], *, every: bool = False) -> None:
    """Rules that decide something, in the order in which they are tried; then the dead."""
    numbered = list(enumerate(rules, 1))
    live = [(number, in_force) for number, in_force in numbered if in_force.dead is None]
    dead = [(number, in_force) for number, in_force in numbered if in_force.dead is not None]
    if not rules:
        screen.line("no rules: versions and the sources' own priorities decide everything")
        return
    heads = ["", "rule", "decides", "written at"]
    groups = [("Rules in force", [_live_row(number, in_force, every) for number, in_force in live])]
    if dead:
        groups.append(("Rules that decide nothing", [_dead_row(*rule) for rule in dead]))
    screen.tables(heads, [group for group in groups if group[1]], right=[0])
    screen.gap()
    screen.line(
        "to take one away: ", ("velpin rules drop RULE", "command"), ", by its number or place"
    )


def _live_row(number: int, in_force: RuleInForce, every: bool) -> list[Piece]:
    offers = several(in_force.offers, "offer") if in_force.offers else ""
    names = list(in_force.installed)
    shown = ", ".join(names) if every else shortened(names, _MOST)
    return [
        str(number),
        _says(in_force),
        "; ".join(part for part in (offers, shown) if part),
        _place(in_force),
    ]


def _dead_row(number: int, in_force: RuleInForce) -> list[Piece]:
    why = in_force.dead.text if in_force.dead else ""
    return [str(number), _says(in_force), (why, "warn"), _place(in_force)]


def _says(in_force: RuleInForce) -> Piece:
    text = in_force.says.text
    return (text, "name") if in_force.rule else text


def _place(in_force: RuleInForce) -> str:
    return str(in_force.place)
