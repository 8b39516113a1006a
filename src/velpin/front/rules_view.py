"""How the rules of a host are shown."""

from __future__ import annotations

from collections.abc import Sequence

from velpin.front.screen import Piece, Screen
from velpin.front.words import sentence, several, shortened
from velpin.wish import Rule

_MOST = 3


def show_rules(screen: Screen, rules: Sequence[Rule], *, every: bool = False) -> None:
    """Rules that decide something, in the order in which they are tried; then the dead."""
    numbered = list(enumerate(rules, 1))
    live = [(number, rule) for number, rule in numbered if rule.dead is None]
    dead = [(number, rule) for number, rule in numbered if rule.dead is not None]
    if not rules:
        screen.line("no rule: versions and the sources' own numbers decide everything")
        return
    heads = ["", "rule", "decides", "written at"]
    groups = [("Rules in force", [_live_row(number, rule, every) for number, rule in live])]
    if dead:
        groups.append(("Rules that decide nothing", [_dead_row(*one) for one in dead]))
    screen.tables(heads, [group for group in groups if group[1]], right=[0])
    screen.gap()
    screen.line("to take one away: ", ("velpin rules drop RULE", "command"), ", by number or place")


def _live_row(number: int, rule: Rule, every: bool) -> list[Piece]:
    offers = several(rule.offers, "offer") if rule.offers else ""
    names = list(rule.installed)
    shown = ", ".join(names) if every else shortened(names, _MOST)
    return [
        str(number),
        _says(rule),
        "; ".join(part for part in (offers, shown) if part),
        _place(rule),
    ]


def _dead_row(number: int, rule: Rule) -> list[Piece]:
    why = sentence(rule.dead) if rule.dead else ""
    return [str(number), _says(rule), (why, "warn"), _place(rule)]


def _says(rule: Rule) -> Piece:
    text = sentence(rule.says)
    return (text, "name") if rule.wish else text


def _place(rule: Rule) -> str:
    return str(rule.place)
