"""The command that looks a host over, and mends."""

from __future__ import annotations

import sys
from collections.abc import Sequence
from itertools import groupby
from typing import TYPE_CHECKING

from velpin.front.changing import ChangeOptions, decide, planned
from velpin.front.plan_view import show_more
from velpin.front.screen import Piece, Screen, signed
from velpin.front.session import busy, tell
from velpin.front.words import several, shortened, size

if TYPE_CHECKING:
    from velpin.change.plan import Plan
    from velpin.host.host import Host
    from velpin.model.finding import Checkup, Finding, Rehearsal, Severity
    from velpin.model.forecast import HeldBack

_STYLES = {"error": "bad", "warning": "warn", "hint": "quiet"}
_ALL = "all"
_MOST_HINTS = 5
"""So many causes of hints are shown, unless all are wanted."""
_MOST_ALIKE = 3
"""So many hints of one cause."""


def check(
    host: Host, handles: Sequence[str], mend: str, how: ChangeOptions, *, offline: bool
) -> int:
    """Tell what is wrong, or mend it; the exit code."""
    if mend:
        what = "" if mend == _ALL else mend
        plan = planned(
            lambda: host.checkup.plan_mend(what, handles, offline=offline), "trying the mends"
        )
        decide(host, plan, how)
        return 0
    with busy("looking the host over"):
        found = host.checkup.run(handles, offline=offline)
    if how.as_json:
        from velpin.front import json_values

        json_values.write(found)
    else:
        show_checkup(Screen(), found, every=how.every)
        sys.stdout.flush()
        if found.asked:
            tell(f"asked the servers of {shortened(found.asked)}", "quiet")
    return 1 if found.is_wrong else 0


def show_checkup(screen: Screen, found: Checkup, *, every: bool = False) -> None:
    """The count first, then the findings by cause, the worst first."""
    screen.line(*_summary(found))
    groups = [list(group) for _, group in groupby(found.findings, key=_cause)]
    hints = [group for group in groups if group[0].severity == "hint"]
    left = [] if every else hints[_MOST_HINTS:]
    for group in groups:
        if group not in left:
            _show_group(screen, group, every)
    if left:
        screen.gap()
        screen.line(f"and {several(sum(map(len, left)), 'more hint')}; --all shows them")
    if found.silenced:
        _show_silenced(screen, found, every)
    _show_next(screen, found)


def _cause(finding: Finding) -> tuple[str, str, str]:
    return finding.code, finding.severity, finding.why


def _summary(found: Checkup) -> list[Piece]:
    counts: dict[Severity, int] = {}
    for finding in found.findings:
        counts[finding.severity] = counts.get(finding.severity, 0) + 1
    looked = f" in {several(found.sources, 'source')} and what is installed from them"
    if not counts:
        return [signed("nothing found", "good"), looked]
    parts: list[Piece] = []
    for severity, count in counts.items():
        parts += [", " if parts else "", (several(count, severity), _STYLES[severity])]
    return [*parts, looked]


def _show_group(screen: Screen, group: Sequence[Finding], every: bool) -> None:
    """Findings of one cause: each in its line, then once why they matter and what mends them. Of
    hints only what to do about them, unless all is wanted."""
    screen.gap()
    is_hint = group[0].severity == "hint"
    most = len(group) if every or not is_hint or len(group) <= _MOST_ALIKE + 1 else _MOST_ALIKE
    for finding in group[:most]:
        _show(screen, finding)
    if len(group) > most:
        screen.line(f"and {len(group) - most} more of these; --all shows them", indent=3)
    if every or not is_hint:
        screen.line(("why it matters: ", "quiet"), group[0].why, indent=3)
    _show_mends(screen, group)


def _show(screen: Screen, finding: Finding) -> None:
    screen.line(
        (f"{finding.number}. {finding.severity}", _STYLES[finding.severity]),
        f"  {finding.text.text}  ",
        (f"[{finding.code}]", "quiet"),
    )
    for cause in finding.text.because:
        screen.line(cause.text, indent=3)
    place = str(finding.place) if finding.place else ""
    if place and place not in finding.text.text:
        screen.line(("at ", "quiet"), place, indent=3)


def _show_mends(screen: Screen, group: Sequence[Finding]) -> None:
    """What mends or helps each of a group; one command for all if each has one and they are
    many."""
    mends = {finding.mend for finding in group}
    if len(mends) > _MOST_ALIKE and None not in mends:
        choice = any(finding.is_choice for finding in group)
        _show_mend(screen, f"velpin checkup --mend {group[0].code}", is_choice=choice, noun="them")
        return
    told = set()
    for finding in group:
        if finding.mend is not None and finding.mend not in told:
            _show_mend(screen, finding.mend, is_choice=finding.is_choice, noun="it")
        elif finding.mend is None and finding.advice and finding.advice.text not in told:
            screen.line(("what helps: ", "quiet"), finding.advice.text, indent=3)
        told.add(finding.mend or (finding.advice.text if finding.advice else ""))


def _show_mend(screen: Screen, command: str, *, is_choice: bool, noun: str) -> None:
    note = (" (decides something: look before you say yes)", "quiet") if is_choice else ""
    screen.line((f"mend {noun}: ", "quiet"), (command, "command"), note, indent=3)


def _show_silenced(screen: Screen, found: Checkup, every: bool) -> None:
    screen.gap()
    more = "" if every else "; --all shows them"
    screen.line(
        (f"{several(len(found.silenced), 'finding')} silenced by the settings{more}", "quiet")
    )
    for finding, reason in found.silenced if every else ():
        screen.line((f"[{finding.code}]", "quiet"), f"  {finding.text.text}: {reason}", indent=3)


def _show_next(screen: Screen, found: Checkup) -> None:
    free = [each for each in found.findings if each.mend and not each.is_choice]
    own = [each for each in free if not (each.mend or "").startswith("velpin refresh")]
    if own:
        screen.gap()
        screen.line(
            f"{several(len(own), 'of them', 'of them')} can be mended without a choice: ",
            ("velpin checkup --mend", "command"),
        )


# -- the next release ------------------------------------------------------------------------

_STATES = {
    "has": signed("has it", "good"), "stays": ("names no release", "quiet"),
    "lacks": signed("lacks it", "bad"),
    "unknown": signed("could not be asked", "warn"), "off": ("off, not asked", "quiet"),
}  # fmt: skip
_MOST = 12


def rehearse(host: Host, release: str, how: ChangeOptions) -> int:
    """Tell what the move to another release would do; the exit code."""
    with busy("asking every source"):
        found, plan = host.checkup.rehearse_release(release)
    if how.as_json:
        from velpin.front import json_values
        from velpin.front.documents import Rehearsed

        json_values.write(Rehearsed.of(found, plan))
    else:
        show_rehearsal(Screen(), found, plan, every=how.every)
        sys.stdout.flush()
        tell("a rehearsal: nothing was changed")
    return 1 if found.needs_work else 0


def show_rehearsal(screen: Screen, found: Rehearsal, plan: Plan, *, every: bool = False) -> None:
    """The outcome first, then the sources, the packages, the rules, the edits."""
    screen.line(*_outcome(found))
    screen.head("Sources")
    rows: list[list[Piece]] = [
        [(each.source, "source"), _STATES[each.state], each.now,
         each.then if each.then != each.now else ""]
        for each in found.sources
    ]  # fmt: skip
    screen.table(["source", found.release, "now", "then"], rows)
    _show_lacking(screen, found)
    _show_packages(screen, found, every=every)
    _show_stopped(screen, found)
    if plan.edits:
        screen.gap()
        screen.line(("The edits it would take", "head"))
        from velpin.front.plan_view import show_files

        show_files(screen, plan)


def _outcome(found: Rehearsal) -> list[Piece]:
    if found.problem is not None:
        return [signed("the installer would refuse the move: ", "bad"), found.problem.text]
    told = f"{several(found.upgraded, 'installed package')} would change"
    amount = f", {size(found.download_bytes)} to download" if found.download_bytes else ""
    return [(f"the move to {found.release}", "answer"), f": {told}{amount}"]


def _show_lacking(screen: Screen, found: Rehearsal) -> None:
    lacking = [each for each in found.sources if each.problem is not None]
    if not lacking:
        return
    screen.head("Ask these first; until then they would be off")
    for each in lacking:
        screen.line((each.source, "source"), ": ", each.problem.text if each.problem else "")


def _show_packages(screen: Screen, found: Rehearsal, *, every: bool) -> None:
    screen.head("Installed packages")
    for reason in found.because:
        screen.line((reason.text, "warn"))
    most = None if every else _MOST
    if found.change_hands:
        count = len(found.change_hands)
        screen.line(
            signed(f"{several(count, 'package')} would come from another publisher:", "warn")
        )
        rows: list[list[Piece]] = [
            [f"  {each.name}", f"{each.installed} from {each.source}",
             f"{each.version} from {each.next_source}"]
            for each in found.change_hands[:most]
        ]  # fmt: skip
        screen.table(["  package", "now", "then"], rows)
        show_more(screen, count - len(rows))
    for names, told, style in (
        (found.stay_behind, "in no source then", "warn"),
        (found.removed, "removed", "bad"),
        (tuple(map(_kept_back, found.kept_back)), "kept back", "warn"),
    ):
        if names:
            shown = ", ".join(names) if every else shortened(names, _MOST)
            screen.line((f"{told}: ", style), shown)
    if not (found.change_hands or found.stay_behind or found.removed or found.kept_back):
        screen.line(signed("all of them stay with their publishers", "good"))


def _kept_back(held: HeldBack) -> str:
    return f"{held.name} ({held.why[0].text})" if held.why else held.name


def _show_stopped(screen: Screen, found: Rehearsal) -> None:
    if not found.rules:
        return
    screen.head("Rules that would stop deciding")
    for rule in found.rules:
        why = rule.dead.text if rule.dead else ""
        screen.line(f"{rule.says.text}: {why} ", (f"({rule.place})", "quiet"))
