"""Checks of what is installed: left behind, held, half done, mixed, kept back."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from velpin.change.journal import Journal
from velpin.core.checkup.examination import Check, Examination
from velpin.core.checkup.order import drop_command, dropping
from velpin.errors import HostFileError, StoreError, VelpinError
from velpin.model import findings
from velpin.model.dates import day
from velpin.model.reason import Reason
from velpin.model.reasons import HostUnmet, IsPhased
from velpin.model.rule import Keep, Pin, command_of
from velpin.model.rule_reasons import KeepsAsIs
from velpin.ports.checks import Draft, Mend
from velpin.ports.configuration import find_source
from velpin.ports.packages import Installed


def check_left_behind(check: Examination) -> Iterator[Draft]:
    """Installed packages that no source has any more, or only older ones of."""
    if isinstance(check.ports.readiness.refusal(), HostFileError):
        return  # what sources there are is not known then
    gone: list[Installed] = []
    newer: list[str] = []
    for here in check.installed:
        if here.source:
            continue
        found = check.ports.offers.versions_of(here.name, here.arch)
        versions = [version for version, source, _ in found if source]
        if not versions:
            gone.append(here)
        elif all(check.ports.packages.compare(here.version, version) > 0 for version in versions):
            newer.append(here.name)
    dropped = _from_dropped(check, gone)
    for (number, handle, when), names in dropped.items():
        had = findings.DroppedSourceHad(
            count=len(names), names=tuple(names), source=handle, day=day(when), number=number
        )
        back = findings.UndoTheDrop(number=number)
        yield Draft(findings.InNoSource, had, None, handle, handle, advice=back)
    known = {name for names in dropped.values() for name in names}
    rest = sorted({here.name for here in gone} - known)
    if rest:
        left = findings.InNoSource(count=len(rest), names=tuple(rest))
        yield Draft(findings.InNoSource, left, None, advice=findings.RemoveOrFind())
    if newer:
        ahead = findings.NewerThanSources(count=len(newer), names=tuple(sorted(set(newer))))
        yield Draft(findings.NewerThanSources, ahead, None, advice=findings.AskByVersion())


def _from_dropped(
    check: Examination, gone: Sequence[Installed]
) -> dict[tuple[int, str, float], list[str]]:
    """Which of some packages came from sources that Velpin dropped, by the journal's entry, the
    source and the time: their indexes may still be in Velpin's store."""
    found: dict[tuple[int, str, float], list[str]] = {}
    if not gone:
        return found
    try:
        entries = Journal(check.ports.tree).entries()
    except VelpinError:
        return found
    left = {(here.name, here.version): here.name for here in gone}
    for entry in reversed(entries):
        if entry.undone_by or entry.undoes or not entry.command.startswith("velpin drop "):
            continue
        before = {edit.file: edit.before.data for edit in entry.edits}
        then = check.ports.with_edits(before)
        for source in then.configuration.sources:
            if source.handle in check.ports.configuration.by_handle:
                continue
            try:
                rows = [
                    row.name
                    for index in then.indexes.of(source)
                    for name in {name for name, _ in left}
                    for row in index.rows(name)
                    if (row.name, row.version) in left
                ]
            except (HostFileError, StoreError):
                continue
            if rows:
                key = (entry.number, source.handle, entry.time)
                found[key] = sorted(set(rows))
                left = {key: name for key, name in left.items() if name not in rows}
    return found


def check_upgrade(check: Examination) -> Iterator[Draft]:
    """A full upgrade that the installer would refuse, though it takes requests."""
    problem = check.upgrade.problem
    if problem is None or check.ports.readiness.refusal() is not None:
        return
    if isinstance(problem, HostUnmet):  # not of the upgrade: any request is refused then
        what = findings.InstallerRefuses(because=(problem,))
        yield Draft(findings.InstallerRefuses, what, None, advice=findings.FinishInstalling())
    else:
        fails = findings.UpgradeFails(because=(problem,))
        yield Draft(findings.UpgradeRefused, fails, None, advice=findings.ForecastTells())


def check_held(check: Examination) -> Iterator[Draft]:
    """Packages that are held or kept although something newer waits."""
    waiting = {here.name: _waits(check, here) for here in check.installed if here.held}
    for rule in check.rules:
        if not (isinstance(rule.rule, Keep)) and not isinstance(rule.says, KeepsAsIs):
            continue
        kept = [here for name in rule.installed for here in check.by_name.get(name, ())]
        mine = {here.name: told for here in kept if (told := _waits(check, here))}
        if mine:
            mend = Mend(drop_command(rule), dropping(rule), is_choice=True)
            names = tuple(mine[name] for name in sorted(mine))
            kept_by = findings.WaitsKept(place=rule.place, names=names, because=(rule.says,))
            yield Draft(findings.WaitsHeld, kept_by, rule.place, "", str(rule.says.facts), [mend])
            waiting = {name: told for name, told in waiting.items() if name not in mine}
    waiting = {name: told for name, told in waiting.items() if told}
    if waiting:
        names = tuple(waiting[name] for name in sorted(waiting))
        what = findings.WaitsHeld(count=len(names), names=names)
        yield Draft(findings.WaitsHeld, what, None, advice=findings.TakeHoldBack())


def _waits(check: Examination, here: Installed) -> str:
    """An installed package and the newest version that a source has of it, empty where none is
    newer."""
    newest = here.version
    for version, source, priority in check.ports.offers.versions_of(here.name, here.arch):
        barred = check.ports.standing.never_taken(priority)
        if source and not barred and check.ports.packages.compare(version, newest) > 0:
            newest = version
    return f"{here.name} {here.version} ({newest} waits)" if newest != here.version else ""


def check_half_installed(check: Examination) -> Iterator[Draft]:
    """Packages whose installation was not finished."""
    found = [f"{name} ({state})" for name, state in check.examiner.half_installed()]
    if found:
        what = findings.HalfInstalled(count=len(found), names=tuple(found))
        yield Draft(findings.HalfInstalled, what, None, advice=findings.FinishInstalling())


def _stand_side_by_side(members: Sequence[tuple[Installed, str]]) -> bool:
    """Whether packages built from one thing are several versions of one name."""
    return len({here.name for here, _ in members}) == 1


def check_sets(check: Examination) -> Iterator[Draft]:
    """Packages built together that are installed in versions of different sources."""
    sets: dict[str, list[tuple[Installed, str]]] = {}
    for here in check.installed:
        told = check.ports.provenance.set_of(here)
        if told is not None:
            sets.setdefault(told[0], []).append((here, told[1]))
    for name, members in sorted(sets.items()):
        versions = {version for _, version in members}
        sources = {check.publishers.get(here.source, "") for here, _ in members if here.source}
        if len(versions) < 2 or len(sources) < 2 or _stand_side_by_side(members):
            continue
        shown = tuple(
            f"{here.name} {here.version} ({here.source or 'in no source'})" for here, _ in members
        )
        what = findings.MixedSet(name=name, names=shown)
        owners = dict.fromkeys(here.source for here, _ in members if here.source)
        handle = next((handle for handle in owners if not check.is_home(handle)), "")
        names = dict.fromkeys(here.name for here, _ in members)
        pins = [command_of(Pin(tuple(names), source=owner)) for owner in owners]
        yield Draft(findings.MixedSet, what, None, handle, name,
                    advice=findings.PinSet(command=" or ".join(pins)))  # fmt: skip


def check_kept_back(check: Examination) -> Iterator[Draft]:
    """Packages that the next upgrade keeps back, by the source that has the newer version."""
    by_source: dict[str, list[str]] = {}
    reasons: dict[str, tuple[Reason, ...]] = {}
    for held in check.upgrade.held_back:
        if any(here.held for here in check.by_name.get(held.name, ())):
            continue  # told as held
        if held.why and isinstance(held.why[0], IsPhased):
            continue  # it comes in time
        handle = held.source or ""
        by_source.setdefault(handle, []).append(held.name)
        reasons.setdefault(handle, held.why)
    for handle, names in sorted(by_source.items()):
        what = findings.KeptBack(
            source=handle, count=len(names), names=tuple(sorted(names)),
            because=reasons[handle][:2],
        )  # fmt: skip
        place = (
            find_source(check.ports.configuration.by_handle, handle).places[0]
            if handle in check.ports.configuration.by_handle
            else None
        )
        yield Draft(findings.KeptBack, what, place, handle, "", advice=findings.UpgradeTells())


CHECKS: tuple[Check, ...] = (
    check_left_behind, check_upgrade, check_held, check_half_installed, check_sets, check_kept_back,
)  # fmt: skip
