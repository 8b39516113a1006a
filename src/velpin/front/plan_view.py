"""How a considered change is shown before anybody is asked: keys, findings, files, shift."""

from __future__ import annotations

import difflib
from collections.abc import Sequence

from velpin.change.plan import KeyShown, Plan
from velpin.front.screen import Piece, Screen
from velpin.front.words import day, sentence, several, shortened
from velpin.model import Answer, Moved, Shift

_MOST_MOVED = 12


def show_plan(screen: Screen, plan: Plan) -> None:
    """Keys first, then what speaks against it, then every file in full."""
    screen.line((plan.summary, "answer"))
    for key in plan.keys:
        _show_key(screen, key)
    for finding in plan.findings:
        screen.gap()
        screen.line(("wrong: ", "bad"), sentence(finding))
    for note in plan.notes:
        screen.line(("note: ", "warn"), sentence(note))
    if plan.error is None:
        for file, data in plan.edits.items():
            _show_file(screen, file, plan.planned_on.get(file), data)


def _show_key(screen: Screen, key: KeyShown) -> None:
    screen.head("Key")
    screen.line((key.owner, "name"), indent=2)
    screen.line(key.fingerprint, indent=2)
    expiry = f"expires {day(key.expires)}" if key.expires else "does not expire"
    pieces: list[Piece] = [f"{key.algorithm}, made {day(key.created)}, ", expiry]
    if key.state != "good":
        pieces += [", ", (f"{key.state}", "bad")]
    screen.line(*pieces, indent=2)
    if key.signs is not None:
        told = ("signs this source", "good") if key.signs else ("does NOT sign this source", "bad")
        screen.line(told, indent=2)
    if key.agrees:
        screen.line(("its fingerprint is the one you gave", "good"), indent=2)
    elif key.agrees is None and key.signs is not False:
        screen.line(
            ("compare the fingerprint with the one its vendor publishes", "warn"), indent=2
        )  # fmt: skip


def _show_file(screen: Screen, file: str, before: bytes | None, after: bytes | None) -> None:
    if after is None:
        screen.head(f"To be removed: /{file}")
        _show_lines(screen, _lines(before), "- ", "bad")
        return
    if before is None:
        screen.head(f"To be written: /{file}")
        lines = _lines(after)
        if "BEGIN PGP" in after.decode("utf-8", "replace"):
            screen.line(f"the key above, {several(len(lines), 'line')}", indent=2)
            return
        _show_lines(screen, lines, "", "")
        return
    screen.head(f"To be changed: /{file}")
    for line in difflib.unified_diff(_lines(before), _lines(after), n=1, lineterm=""):
        if line.startswith(("---", "+++", "@@")):
            continue
        style = {"+": "good", "-": "bad"}.get(line[:1], "quiet")
        screen.line((line[:1] + " " + line[1:], style), indent=2)


def _show_lines(screen: Screen, lines: list[str], lead: str, style: str) -> None:
    if any("BEGIN PGP" in line for line in lines):
        screen.line(f"a key, {several(len(lines), 'line')}", indent=2)
        return
    for line in lines:
        screen.line((lead + line, style), indent=2)


def _lines(data: bytes | None) -> list[str]:
    return (data or b"").decode("utf-8", "replace").splitlines()


def show_shift(screen: Screen, shift: Shift) -> None:
    """What differs in the forecast of the whole host: installed packages first."""
    if shift.asked:
        screen.head("What you asked about")
        rows = [_asked_row(before, after) for before, after in shift.asked]
        screen.table(["package", "before", "after"], rows)
    screen.head("What else shifts" if shift.asked else "What shifts")
    if shift.moved:
        count = several(len(shift.moved), "installed package")
        screen.line((f"{count} would change hands or version at the next upgrade", "warn"))
        screen.table(
            ["  package", "now", "before", "after"],
            [_moved_row(moved) for moved in shift.moved[:_MOST_MOVED]],
        )
        if len(shift.moved) > _MOST_MOVED:
            screen.line(f"and {len(shift.moved) - _MOST_MOVED} more", indent=2)
    else:
        screen.line("no installed package would change hands or version")
    names_too = ((shift.new_names, "new to this host"), (shift.gone_names, "offered no more"))
    for names, told in names_too:
        if names:
            screen.line(f"{several(len(names), 'name')} {told}: {shortened(names)}")


def _asked_row(before: Answer, after: Answer) -> list[Piece]:
    return [(after.asked, "name"), _told(before), (_told(after), "answer")]


def _told(answer: Answer) -> str:
    if answer.version is None:
        return "not to be had"
    return f"{answer.version} from {answer.source or 'nowhere'}"


def _moved_row(moved: Moved) -> list[Piece]:
    return ["  " + moved.name, moved.installed, _stand(moved.before), _stand(moved.after)]


def _stand(stand: tuple[str, str] | None) -> str:
    if stand is None:
        return "nothing"
    version, source = stand
    return f"{version} from {source}" if source else f"{version}, in no source"


def show_came_from(screen: Screen, names: Sequence[str], handle: str) -> None:
    """Installed packages that came from a source."""
    if not names:
        screen.line(f"no installed package comes from {handle}")
        return
    screen.line(
        f"{several(len(names), 'installed package')} came from {handle}: {shortened(names, 12)}"
    )
