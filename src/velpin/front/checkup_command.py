"""The command that looks a host over, and mends."""

from __future__ import annotations

import sys
from collections.abc import Sequence
from typing import TYPE_CHECKING

from velpin.front.changing import ChangeOptions, decide, planned
from velpin.front.screen import Piece, Screen
from velpin.front.session import busy, tell
from velpin.front.words import sentence, several, shortened

if TYPE_CHECKING:
    from velpin.core.host import Host
    from velpin.model.finding import Checkup, Finding, Severity

_STYLES = {"error": "bad", "warning": "warn", "hint": "quiet"}
_ALL = "all"


def check(
    host: Host, handles: Sequence[str], mend: str, how: ChangeOptions, *, offline: bool
) -> int:
    """Tell what is wrong, or mend it; the exit code."""
    if mend:
        what = "" if mend == _ALL else mend
        plan = planned(lambda: host.plan_mend(what, handles, offline=offline), "trying the mends")
        decide(host, plan, how)
        return 0
    with busy("looking the host over"):
        found = host.checkup(handles, offline=offline)
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
    """The count first, then each finding, the worst first."""
    screen.line(*_summary(found))
    for finding in found.findings:
        _show(screen, finding)
    if found.silenced:
        _show_silenced(screen, found, every)
    _show_next(screen, found)


def _summary(found: Checkup) -> list[Piece]:
    counts: dict[Severity, int] = {}
    for finding in found.findings:
        counts[finding.severity] = counts.get(finding.severity, 0) + 1
    looked = f" in {several(found.sources, 'source')} and what is installed from them"
    if not counts:
        return [("nothing found", "good"), looked]
    parts: list[Piece] = []
    for severity, count in counts.items():
        parts += [", " if parts else "", (several(count, severity), _STYLES[severity])]
    return [*parts, looked]


def _show(screen: Screen, finding: Finding) -> None:
    screen.gap()
    screen.line(
        (f"{finding.number}. {finding.severity}", _STYLES[finding.severity]),
        f"  {sentence(finding.text)}  ",
        (f"[{finding.code}]", "quiet"),
    )
    for cause in finding.text.because:
        screen.line(sentence(cause), indent=3)
    if finding.place is not None:
        screen.line(("at ", "quiet"), str(finding.place), indent=3)
    screen.line(("why it matters: ", "quiet"), finding.why, indent=3)
    if finding.mend is not None:
        choice = (" (decides something: look before you say yes)", "quiet")
        pieces: list[Piece] = [("mend it: ", "quiet"), (finding.mend, "command")]
        screen.line(*pieces, choice if finding.is_choice else "", indent=3)
    elif finding.advice is not None:
        screen.line(("what helps: ", "quiet"), sentence(finding.advice), indent=3)


def _show_silenced(screen: Screen, found: Checkup, every: bool) -> None:
    screen.gap()
    more = "" if every else "; --all shows them"
    screen.line(
        (f"{several(len(found.silenced), 'finding')} silenced by the settings{more}", "quiet")
    )
    for finding, reason in found.silenced if every else ():
        screen.line(
            (f"[{finding.code}]", "quiet"), f"  {sentence(finding.text)}: {reason}", indent=3
        )


def _show_next(screen: Screen, found: Checkup) -> None:
    free = [each for each in found.findings if each.mend and not each.is_choice]
    own = [each for each in free if not (each.mend or "").startswith("velpin refresh")]
    if own:
        screen.gap()
        screen.line(
            f"{several(len(own), 'of them', 'of them')} can be mended without a choice: ",
            ("velpin checkup --mend", "command"),
        )
