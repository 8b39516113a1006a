"""The commands about a host in a file: written, made so, expectations held against the forecast."""

from __future__ import annotations

import os
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from velpin.core.hostfile.format import load_host_file
from velpin.errors import CannotWrite, UsageError
from velpin.files.given import begins_with, write_given
from velpin.front.changing import ChangeOptions
from velpin.front.plan_view import show_plan, show_shift, show_verdict
from velpin.front.screen import Piece, Screen, signed
from velpin.front.session import busy, consent, tell
from velpin.front.words import several
from velpin.model.shell import shell_word

if TYPE_CHECKING:
    from velpin.core.hostfile.conform import Conforming
    from velpin.host.host import Host
    from velpin.model.hostfile import ConformItem, ExpectationResult, ItemState, KeysIn
    from velpin.model.shift import Shift


_ARMOUR = 20
"""So many bytes tell a key file."""
_BEGINNING = 1 << 16
"""In so many bytes a host file must say that it is one; comments may stand before."""


def export(host: Host, out: Path | None, keys: KeysIn) -> None:
    """Write the host as a file, and its keys beside that; to standard output without one.

    UsageError for keys beside what is no file, CannotWrite if something else stands there.
    """
    if keys == "beside" and (out is None or not is_plain(out)):
        raise UsageError("keys can only lie beside a file", "give one: --out FILE")
    found = host.file.export(keys)
    if out is None:
        sys.stdout.write(found.text)
        return
    for name, data in found.key_files.items():
        try:
            (out.parent / name).parent.mkdir(exist_ok=True)
        except OSError as problem:
            raise CannotWrite(f"{out.parent / name}: {problem.strerror}") from problem
        write_given(out.parent / name, data, "a key", begins_with(data[:_ARMOUR]))
    is_one = begins_with(b"velpin-host", within=_BEGINNING)
    write_given(out, found.text.encode(), "a host file of velpin's", is_one)
    beside = f", with {several(len(found.key_files), 'key file')} beside it"
    tell(
        f"written: {out}{beside if found.key_files else ''}; make a host so with velpin conform"
        f" {shell_word(str(out))}", "quiet",
    )  # fmt: skip


def is_plain(out: Path) -> bool:
    """Whether files can lie beside it: it is one, or not there yet. A link may be a stream."""
    return not os.path.lexists(out) or (os.path.isfile(out) and not os.path.islink(out))


def conform(host: Host, file: Path, how: ChangeOptions, *, prune: bool, anyway: bool) -> int:
    """Make the host as a file says, or tell what that would change; the exit code, which for a
    preview says whether anything would."""
    wanted = load_host_file(file)
    with busy("planning"):
        found = host.file.plan_conform(wanted, prune=prune)
    shift = None
    if found.changed:
        with busy():
            shift = host.changes.shift(found.plan)
    if not how.as_json:
        _show(found, shift, how)
    stopped = bool(found.failed) and not anyway
    if how.preview or stopped or not found.changed:
        return _unmade(found, shift, how)
    host.changes.check_writable()
    consent("Write it?", yes=how.yes)
    number = host.changes.apply(found.plan, anyway=True).number
    if how.as_json:
        _write(found, shift, number)
    else:
        Screen().line(
            signed("done", "good"), f", journal entry {number}; undo it with ",
            (f"velpin undo {number}", "command"),
        )  # fmt: skip
    return 0


def _unmade(found: Conforming, shift: Shift | None, how: ChangeOptions) -> int:
    """What is told where nothing is written, and the exit code."""
    if how.as_json:
        _write(found, shift, None)
    elif found.failed and found.changed:
        tell("nothing was changed: an expectation would not be met; --anyway overrules that")
    elif found.changed:
        tell("preview only: nothing was changed")
    return 1 if found.failed or found.changed else 0


def _write(found: Conforming, shift: Shift | None, number: int | None) -> None:
    from velpin.front import json_values
    from velpin.front.documents import Conformed

    json_values.write(Conformed.of(found, shift, number))


def _show(found: Conforming, shift: Shift | None, how: ChangeOptions) -> None:
    """The items, the plan in full, and next to the question the expectations and the verdict."""
    screen = Screen()
    changed = sum(item.state != "same" for item in found.items)
    if changed:
        screen.line((f"{changed} of {several(len(found.items), 'item')} would change", "answer"))
    else:
        screen.line(
            signed("unchanged: ", "good"), f"all {several(len(found.items), 'item')} are so already"
        )
    rows = [_row(item) for item in found.items if item.state != "same" or how.every or not changed]
    if rows:
        screen.table(["", "", "item", "", "at"], rows)
    if shift is not None:
        screen.gap()
        show_plan(screen, found.plan)
        show_shift(screen, shift, every=how.every)
    if found.expectations:
        screen.head("Expectations")
        show_results(screen, found.expectations)
    if shift is not None:
        screen.gap()
        show_verdict(screen, shift, None)
    sys.stdout.flush()


_STATES: dict[ItemState, Piece] = {
    "same": ("same", "quiet"), "added": ("added", "good"), "changed": ("changed", "warn"),
    "removed": ("removed", "bad"),
}  # fmt: skip


def _row(item: ConformItem) -> list[Piece]:
    return [_STATES[item.state], item.kind, (item.name, "name"), item.what, str(item.place or "")]


def show_results(screen: Screen, results: Sequence[ExpectationResult]) -> None:
    """What is expected: those not met, each with the reasons of the forecast, and how many are."""
    failed = [each for each in results if not each.met]
    for each in failed:
        screen.line(
            signed("not met: ", "bad"),
            f"{each.expected}: {each.found}",
            (f"  ({each.place})", "quiet"),
        )
        for reason in each.reasons:
            screen.line("because ", reason.text, indent=2)
    met = len(results) - len(failed)
    if met:
        screen.line(signed(f"{several(met, 'expectation')} met", "good"))


def expect(host: Host, file: Path, *, as_json: bool) -> int:
    """Hold the forecast against expectations; the exit code."""
    results = host.file.expect(load_host_file(file))
    if as_json:
        from velpin.front import json_values
        from velpin.front.documents import Expected

        json_values.write(Expected.of(results))
    elif results:
        show_results(Screen(), results)
    else:
        Screen().line("the file expects nothing of this host")
    return 0 if all(each.met for each in results) else 1


def write_expectations(host: Host, names: Sequence[str]) -> None:
    """What is so today, as expectations."""
    sys.stdout.write(host.file.expectations_now(names))
