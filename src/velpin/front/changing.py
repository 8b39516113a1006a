"""The changing commands: show a plan, ask, write it, tell how to take it back."""

from __future__ import annotations

import sys
from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING, NamedTuple

from velpin.files.own_settings import shows_next
from velpin.front.next_view import show_next, show_way_back
from velpin.front.plan_view import show_came_from, show_plan, show_shift, show_verdict
from velpin.front.screen import Screen, signed
from velpin.front.session import busy, consent, tell

if TYPE_CHECKING:
    from velpin.change.plan import Plan
    from velpin.core.takeover import Takeover
    from velpin.host.host import Host
    from velpin.model.instructions import Reading
    from velpin.model.shift import Shift
    from velpin.model.way_back import WayBack


class ChangeOptions(NamedTuple):
    """How a changing command goes about it."""

    preview: bool = False
    yes: bool = False
    as_json: bool = False
    every: bool = False
    """Show all that differs, not only the first of it."""


def planned(make: Callable[[], Plan], what: str = "trying it on the forecast") -> Plan:
    """A plan, while it is said that it is being made."""
    with busy(what):
        return make()


def decide(
    host: Host,
    plan: Plan,
    how: ChangeOptions,
    *,
    names: Sequence[str] = (),
    anyway: bool = False,
    came: Sequence[str] | None = None,
    reading: Reading | None = None,
    back: WayBack | None = None,
) -> None:
    """Show what a plan does to the whole host, ask, and write it; raise what stops it.

    `names` are packages whose answers are shown before and after, `came` those installed from
    the source that goes, `back` the way back from it, `reading` is what the plan was made of.
    """
    if plan.unchanged and not (plan.findings or plan.unmet):
        _tell_unchanged(plan, how, reading)
        return
    if reading is not None and not how.as_json:
        from velpin.front.instructions_view import show_reading

        show_reading(Screen(), reading)
    against = plan.why_not(anyway=anyway)
    if against:
        if not how.as_json:
            show_plan(Screen(), plan)
            sys.stdout.flush()
        raise against
    takeover = None
    with busy():
        shift = host.changes.shift(plan, names)
        if not plan.undoes:
            takeover = host.changes.takeover(plan, shift, names)
    if not how.as_json:
        _show(plan, shift, takeover, came, back, every=how.every)
    following: Sequence[str] = ()
    if _tells_next(host, plan, how):
        following = back.next if back else host.changes.next_after(plan, shift, names)
    if how.preview:
        _end(plan, shift, None, how, takeover, reading, following, back)
        return
    if not plan.undoes:
        host.changes.check_writable()
    consent("Take it back?" if plan.undoes else "Write it?", yes=how.yes)
    number = host.changes.apply(plan, anyway=anyway).number
    _end(plan, shift, number, how, takeover, reading, following, back)


def _tells_next(host: Host, plan: Plan, how: ChangeOptions) -> bool:
    """Whether what to type next is told: not below a preview, which changes nothing."""
    if plan.undoes:
        return False
    return how.as_json or (not how.preview and shows_next(host.tree))


def _show(
    plan: Plan,
    shift: Shift,
    takeover: Takeover | None,
    came: Sequence[str] | None,
    back: WayBack | None,
    *,
    every: bool,
) -> None:
    screen = Screen()
    show_plan(screen, plan)
    if came is not None:
        screen.gap()
        show_came_from(screen, came, plan.handles[0])
    show_shift(screen, shift, every=every)
    if back is not None:
        show_way_back(screen, back)
    screen.gap()
    show_verdict(screen, shift, takeover)
    sys.stdout.flush()


def _tell_unchanged(plan: Plan, how: ChangeOptions, reading: Reading | None) -> None:
    if how.as_json:
        _end(plan, None, None, how, None, reading)
    else:
        Screen().line(signed("unchanged: ", "good"), f"{plan.summary}: nothing to do")


def _end(
    plan: Plan,
    shift: Shift | None,
    number: int | None,
    how: ChangeOptions,
    takeover: Takeover | None = None,
    reading: Reading | None = None,
    following: Sequence[str] = (),
    back: WayBack | None = None,
) -> None:
    if how.as_json:
        from velpin.front import json_values
        from velpin.front.documents import Planned

        json_values.write(Planned.of(plan, shift, number, takeover, reading, following, back))
    elif number is None:
        tell("preview only: nothing was changed")
    else:
        screen = Screen()
        screen.gap()
        screen.line(
            signed("done", "good"), f", journal entry {number}; undo it with ",
            (f"velpin undo {number}", "command"),
        )  # fmt: skip
        show_next(screen, following)
