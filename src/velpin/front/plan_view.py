"""How a considered change is shown before anybody is asked: keys, findings, files, shift."""

from __future__ import annotations

import difflib
from collections.abc import Sequence
from typing import TYPE_CHECKING

from velpin.change.plan import KeyShown, Plan
from velpin.files.text import HostText, bare
from velpin.front.screen import Piece, Screen, signed
from velpin.front.words import selected, several, shortened, size
from velpin.model.dates import day
from velpin.model.forecast import Answer
from velpin.model.rule_reasons import UpgradeRefused
from velpin.model.safe_text import grouped, without_passwords
from velpin.model.shift import ChangedAnswer, ChangedUpgrade, Shift
from velpin.trust.openpgp import only_keys

if TYPE_CHECKING:
    from velpin.core.takeover import Takeover

_MOST_UPGRADES = 12
_MOST_REMOVED = 40
"""So many lines of a file that goes are shown; the journal keeps it whole."""


def show_plan(screen: Screen, plan: Plan) -> None:
    """Keys first, then what speaks against it, then every file in full."""
    screen.line((plan.summary, "answer"))
    for key in plan.keys:
        _show_key(screen, key)
    for finding in plan.findings:
        screen.gap()
        screen.line(signed("wrong: ", "bad"), finding.text)
    for note in plan.notes:
        word = "not checked: " if note.code.startswith("check-off") else "note: "
        screen.line((word, "warn"), note.text)
    if plan.error is None and plan.unmet is None:
        show_files(screen, plan)


def show_files(screen: Screen, plan: Plan) -> None:
    """Every file of a plan in full: what is written, changed, removed, and its rights."""
    olds = {edit.was for edit in plan.files if edit.was}
    for edit in plan.files:
        if edit.was:
            screen.head(f"To be renamed: /{edit.was}")
            screen.line(f"to /{edit.file}", indent=2)
            if edit.place:
                screen.line(f"it is a link to /{edit.place}, and stays one", indent=2)
        if edit.was or edit.file in olds:
            continue
        if edit.before != edit.after or edit.mode is None:
            _show_file(screen, edit.file, edit.before, edit.after, edit.place)
        if edit.mode is not None:
            led = f" → /{edit.place}" if edit.place else ""
            screen.head(f"To be changed: the rights of /{edit.file}{led}")
            screen.line(f"{edit.mode:04o} ({_rights(edit.mode)})", indent=2)


def _rights(mode: int) -> str:
    """Permission bits as people read them."""
    import stat

    return stat.filemode(mode)[1:]


def show_verdict(screen: Screen, shift: Shift, takeover: Takeover | None) -> None:
    """What a change does to what is installed, in the lines next to the question; and the command
    that would prevent what nobody asked for."""
    if shift.upgrade_problem:
        screen.line(signed(UpgradeRefused(what=shift.upgrade_problem.text).text, "bad"))
    if takeover:
        _show_takeover(screen, takeover)
    if shift.upgrades:
        screen.line(signed(upgrades_line(shift.upgrades), "warn"))
    elif not shift.upgrade_problem:
        screen.line("the next upgrade would change no other installed package")


def _show_takeover(screen: Screen, found: Takeover) -> None:
    told = [f"take over {shortened(found.names)}"] if found.names else []
    told += [f"remove {shortened(found.removed)}"] if found.removed else []
    screen.line(
        signed(f"{' and '.join(found.handles)} would {' and '.join(told)}", "bad"),
        ", which you did not name",
    )
    if found.command:
        screen.line("to prevent that: ", (found.command, "command"), indent=2)


def _show_key(screen: Screen, key: KeyShown) -> None:
    screen.head("Key")
    screen.line((key.owner, "name"), indent=2)
    screen.line(grouped(key.fingerprint), indent=2)
    expiry = f"expires {day(key.expires)}" if key.expires else "does not expire"
    pieces: list[Piece] = [f"{key.algorithm}, made {day(key.created)}, ", expiry]
    if key.state != "good":
        pieces += [", ", (f"{key.state}", "bad")]
    screen.line(*pieces, indent=2)
    if key.signs is not None:
        what = {
            "index": "signs the index of this source", "packages": "signs its packages",
            "catalog": "signs this catalog",
        }  # fmt: skip
        screen.line(
            signed(what[key.what], "good") if key.signs
            else signed("does NOT sign this source", "bad"),
            indent=2,
        )  # fmt: skip
    else:
        screen.line(signed("not seen to sign anything here yet", "warn"), indent=2)
    if key.used_by:
        others = shortened(key.used_by, 3)
        screen.line(signed(f"used on this host already, for {others}", "good"), indent=2)
    if key.agrees:
        screen.line(signed("its fingerprint is the one you gave", "good"), indent=2)
    elif key.agrees is None and key.signs is not False and not key.used_by:
        screen.line(
            signed("compare the fingerprint with the one its vendor publishes", "warn"), indent=2
        )  # fmt: skip


def _show_file(
    screen: Screen, file: str, before: bytes | None, after: bytes | None, led: str
) -> None:
    """One file; `led` is where it really is, of one that is a link or lies behind one."""
    name = f"/{file} → /{led}" if led else f"/{file}"
    if after is None and led and before is not None:
        screen.head(f"To be removed: the link {name}")
        screen.line("what it leads to stays", indent=2)
        return
    if b"\0" in (before or b"") or b"\0" in (after or b""):
        _show_binary(screen, name, before, after)
        return
    if after is None:
        screen.head(f"To be removed: {name}")
        _show_lines(screen, before or b"", "- ", "bad", most=_MOST_REMOVED)
        return
    if before is None:
        screen.head(f"To be written: {name}")
        _show_lines(screen, after, "", "")
        return
    screen.head(f"To be changed: {name}")
    lines = list(difflib.unified_diff(_lines(before), _lines(after), n=1, lineterm=""))
    while lines and not lines[-1].strip():
        lines.pop()
    for line in lines[3:]:  # behind the names of the two and the first place
        if line.startswith("@@"):
            screen.line(("...", "quiet"), indent=4)
            continue
        style = {"+": "good", "-": "bad"}.get(line[:1], "quiet")
        screen.line((line[:1] + " " + line[1:], style), indent=2)


def _show_binary(screen: Screen, name: str, before: bytes | None, after: bytes | None) -> None:
    """A file that is not text: how much of it comes or goes."""
    word = "removed" if after is None else "changed" if before is not None else "written"
    screen.head(f"To be {word}: {name}")
    old, new = before or b"", after or b""
    if new.startswith(old) and old != new:
        screen.line(f"{size(len(new) - len(old))} more at its end (no text)", indent=2)
    else:
        screen.line(f"no text: {size(len(old))} before, {size(len(new))} after", indent=2)


def _show_lines(screen: Screen, data: bytes, lead: str, style: str, *, most: int = 0) -> None:
    """A file in full, or its first lines; one that holds keys and nothing else is told by their
    fingerprints."""
    keys, lines = only_keys(data), _lines(data)
    if keys:
        told = ", ".join(key.grouped for key in keys)
        screen.line(f"the key {told}, {several(len(lines), 'line')}", indent=2)
        return
    for line in lines[: most or None]:
        screen.line((lead + line, style), indent=2)
    if most and len(lines) > most:
        screen.line((f"... {several(len(lines) - most, 'more line')}", "quiet"), indent=2)


def _lines(data: bytes | None) -> list[str]:
    """Lines as they are shown; a carriage return at an end is part of the line's end."""
    return [bare(without_passwords(line)) for line in HostText(data).lines]


def show_shift(screen: Screen, shift: Shift, *, every: bool = False) -> None:
    """What differs in the forecast of the whole host, installed packages first; `show_verdict`
    says it in a line."""
    if shift.asked:
        screen.head("What you asked about")
        rows = [_asked_row(before, after) for before, after in shift.asked]
        screen.table(["package", "before", "after"], rows)
    if shift.upgrades:
        screen.head("Installed packages after the next upgrade")
        show_upgrades(screen, shift.upgrades, len(shift.upgrades) if every else _MOST_UPGRADES)
    if shift.held_back or shift.answers:
        screen.head("What else changes" if shift.asked or shift.upgrades else "What changes")
    _show_held_back(screen, shift, every)
    _show_answers(screen, shift, every)


def show_upgrades(screen: Screen, upgrades: Sequence[ChangedUpgrade], most: int) -> None:
    """Installed packages that the next upgrade would leave otherwise, those it removes first."""
    ordered = sorted(upgrades, key=lambda change: (change.after is not None, _only_moves(change)))
    rows = [_upgrade_row(change) for change in ordered[:most]]
    screen.table(["  package", "now", "without this", "with it"], rows)
    for change in ordered[:most]:
        if change.because:
            screen.line(change.because.text, indent=2)
    show_more(screen, len(ordered) - most)


def upgrades_line(upgrades: Sequence[ChangedUpgrade]) -> str:
    """What the next upgrade would do otherwise, in a line."""
    moving = sum(map(_only_moves, upgrades))
    count = len(upgrades) - moving
    if not count:
        noun, they = several(moving, "installed package"), "it has" if moving == 1 else "they have"
        return f"{noun} would have another source, in the version that {they} now"
    removed = sum(change.after is None for change in upgrades)
    removes = f" ({removed} of them removed)" if removed else ""
    if all(change.before and change.before.version == change.installed for change in upgrades):
        return f"the next upgrade would change {several(count, 'more installed package')}{removes}"
    noun = several(count, "installed package")
    return f"the next upgrade would end differently for {noun}{removes}"


def _only_moves(change: ChangedUpgrade) -> bool:
    """Whether an installed package would keep its version and merely come from elsewhere."""
    before, after = change.before, change.after
    return before is not None and after is not None and before.version == after.version


def show_more(screen: Screen, more: int) -> None:
    """How many rows were left out, if any."""
    if more > 0:
        screen.line(f"and {several(more, 'more', 'more')}; --all shows them", indent=2)


def _show_held_back(screen: Screen, shift: Shift, every: bool) -> None:
    if not shift.held_back:
        return
    names = [held.name for held in shift.held_back]
    shown = ", ".join(names) if every else shortened(names)
    screen.line(signed(f"held back by the next upgrade: {shown}", "warn"))


def _show_answers(screen: Screen, shift: Shift, every: bool) -> None:
    if not shift.answers:
        return
    groups: dict[tuple[str | None, str | None], list[ChangedAnswer]] = {}
    for answer in shift.answers:
        before = answer.before.source if answer.before else None
        after = answer.after.source if answer.after else None
        groups.setdefault((before, after), []).append(answer)
    count = several(len(shift.answers), "package")
    screen.line(f"{count} not installed {'is' if len(shift.answers) == 1 else 'are'} affected:")
    rows: list[list[Piece]] = []
    for (before, after), found in sorted(groups.items(), key=lambda item: -len(item[1])):
        names = [answer.name for answer in found]
        shown = ", ".join(names) if every else shortened(names, 4)
        rows.append([f"  {len(found)}", _change(before, after), shown])
    screen.table(["  packages", "change", ""], rows, right=[0])


def _change(before: str | None, after: str | None) -> Piece:
    if before is None:
        return f"new, from {after or 'no source'}"
    if after is None:
        return (f"no longer available (was {before or 'no source'})", "warn")
    if before == after:
        return f"another version of {after}"
    return f"from {after} instead of {before}"


def _asked_row(before: Answer, after: Answer) -> list[Piece]:
    return [(after.asked, "name"), _told(before), (_told(after), "answer")]


def _told(answer: Answer) -> str:
    if answer.version is None:
        return "not available"
    return f"{answer.version} {f'from {answer.source}' if answer.source else 'in no source'}"


def _upgrade_row(one: ChangedUpgrade) -> list[Piece]:
    before, after = (selected(choice, "removed") for choice in (one.before, one.after))
    return ["  " + one.name, one.installed, before, after]


def show_came_from(screen: Screen, names: Sequence[str], handle: str) -> None:
    """Installed packages that came from a source."""
    if not names:
        screen.line(f"no installed package comes from {handle}")
        return
    screen.line(
        f"{several(len(names), 'installed package')} came from {handle}: {shortened(names, 12)}"
    )
