"""The command that compares a host with a saved snapshot of it."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from velpin.core.snapshot import Snapshot, drift, load_snapshot, save_snapshot
from velpin.front.plan_view import show_more
from velpin.front.screen import Piece, Screen, signed
from velpin.front.session import busy
from velpin.front.words import selected, several
from velpin.model.dates import day_and_time
from velpin.model.shift import Drift

if TYPE_CHECKING:
    from velpin.host.host import Host

_MOST = 25
CAUSES = {
    "host": "the host itself",
    "sources": "a source came or went",
    "content": "a source's content",
    "rule": "a rule",
    "others": "what it depends on",
}
"""Why a package is different, in words."""


def save_host(host: Host, file: Path, watched: Sequence[str], as_json: bool) -> None:
    """Save how the host stands."""
    with busy():
        found = host.snapshot(watched)
    save_snapshot(found, file)
    if as_json:
        from velpin.front import json_values
        from velpin.front.documents import SavedSnapshot

        json_values.write(SavedSnapshot(str(file), len(found.packages)))
        return
    screen = Screen()
    screen.line(signed("saved", "good"), f": {several(len(found.packages), 'package')} in {file}")
    screen.line("compare with it later: ", (f"velpin shift --since {file}", "command"))


def show_drift(host: Host, file: Path, *, every: bool, as_json: bool) -> int:
    """Compare with a saved snapshot; the exit code, 1 where something differs."""
    then = load_snapshot(file)
    with busy():
        now = host.snapshot(then.watched)
    found = list(drift(then, now))
    if as_json:
        from velpin.front import json_values
        from velpin.front.documents import Drifted

        json_values.write(Drifted(then.time, found))
    else:
        _show(Screen(), then, now, found, every)
    return 1 if found else 0


def _show(
    screen: Screen, then: Snapshot, now: Snapshot, found: Sequence[Drift], every: bool
) -> None:
    since = day_and_time(then.time)
    if not found:
        screen.line(signed(f"nothing has drifted since {since}", "good"))
        return
    changed = several(len(found), "package has", "packages have")
    screen.line(signed(f"{changed} changed since {since}", "warn"))
    counts = Counter(cause for drift in found for cause in drift.causes)
    parts = [f"{CAUSES[cause]}: {count}" for cause, count in counts.items()]
    screen.line("because of ", "; ".join(parts))
    shown = found if every else found[:_MOST]
    rows = [_row(drift) for drift in shown]
    screen.table(["  package", "then", "now", "because of"], rows)
    show_more(screen, len(found) - len(shown))
    _show_lists(screen, then, now)


def _show_lists(screen: Screen, then: Snapshot, now: Snapshot) -> None:
    """Sources and rules that came or went."""
    was, has = (
        {h for h, source in one_time.sources.items() if source["on"]} for one_time in (then, now)
    )
    for handles, told in ((has - was, "came"), (was - has, "went")):
        if handles:
            screen.line(f"sources that {told}: {', '.join(sorted(handles))}")
    for count, told in ((_more(now, then), "new"), (_more(then, now), "dropped")):
        if count:
            screen.line(f"{several(count, told + ' rule')} since then")


def _more(one: Snapshot, other: Snapshot) -> int:
    known = {rule.partition(" ")[2] for rule in other.rules}
    return sum(rule.partition(" ")[2] not in known for rule in one.rules)


def _row(one: Drift) -> list[Piece]:
    causes = ", ".join(CAUSES[cause] for cause in one.causes)
    before, after = (selected(choice, "nothing") for choice in (one.before, one.after))
    return [(f"  {one.name}", "name"), before, after, causes]
