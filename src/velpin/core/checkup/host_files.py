"""Checks of the host's files that are alike for all kinds: not understood, passed over, odd
rights, left over."""

from __future__ import annotations

import re
from collections.abc import Iterator
from functools import partial

from velpin.change.plan import Plan
from velpin.change.recovery import is_interrupted
from velpin.core.checkup.examination import Check, Examination
from velpin.core.checkup.trust import rights_draft
from velpin.core.rule_plans import plan_rule_drop
from velpin.errors import HostFileError
from velpin.files.text import HostText
from velpin.model import findings
from velpin.model.reason import Place, place_of
from velpin.model.reasons import TargetUnknown
from velpin.ports.bundle import Ports
from velpin.ports.checks import Draft, Make, Mend, removing

_WRITABLE = 0o022
_LEFT = re.compile(
    r"(\.(dpkg-(old|new|dist|tmp|bak)|ucf-(old|new|dist)|distUpgrade|rpm(new|save|orig)|pac(new|save"
    r"|orig)|bak|backup|old|orig|save|swp|tmp)|~)$|^\..*\.velpin-part$"
)
"""How names end of files that package managers, editors and interrupted changes leave."""
_OWN_PART = re.compile(r"\..*\.velpin-part\Z", re.DOTALL)
"""What an interrupted change of Velpin's own left; nobody else writes such a name."""
_MEANT = re.compile(r"(?i)(\Areadme|\.(md|txt)\Z|disabled|\.off\Z|\A\.(placeholder|gitkeep)\Z)")
"""Names of files that nobody expects to be read."""
_ODD_BYTES = re.compile(r"[^A-Za-z0-9_.-]+")


def check_entries(check: Examination) -> Iterator[Draft]:
    """What the installer refuses of the host's files, or ignores."""
    ports = check.ports
    refused = ports.readiness.refusal()
    told = set()
    for note in ports.configuration.notes():
        if note.code in ("listed-twice", "for-people"):
            continue
        is_error = note.code == "refused"
        kind = findings.Malformed if is_error else findings.OddEntry
        what = kind(place=note.place, what=note.text)
        mends = [Mend("", commented_out(note.place), is_choice=is_error)] if note.place.line else []
        told.add(str(note.place))
        advice = findings.EditByHand(file=f"/{note.place.file}")
        subject = f"{note.place.file} {note.text}"
        yield Draft(kind, what, note.place, "", subject, mends, advice)
    if isinstance(refused, HostFileError):
        place = Place(refused.file, refused.line)
        if str(place) not in told:
            what = findings.Malformed(place=place, what=refused.what)
            advice = findings.EditByHand(file=f"/{refused.file}")
            yield Draft(findings.Malformed, what, place, "", refused.what, advice=advice)
    elif refused is not None:
        set_at = place_of(refused)
        if isinstance(refused, TargetUnknown):
            drop = partial(_dropped, set_at)
            command = f"velpin rules drop {set_at}"
            mends = [Mend(command, drop, is_choice=True)] if set_at else []
            yield Draft(findings.TargetMissing, refused, set_at, "", "", mends)
        else:
            refuses = findings.InstallerRefuses(because=(refused,))
            yield Draft(findings.InstallerRefuses, refuses, set_at, "", refused.code,
                        advice=findings.ForecastTells())  # fmt: skip


def _dropped(place: Place | None, ports: Ports) -> Plan:
    assert place is not None
    return plan_rule_drop(ports, place)


def commented_out(place: Place) -> Make:
    """Puts a comment mark before a line, where nothing else changes by that."""

    def make(ports: Ports) -> Plan:
        text = HostText(ports.tree.read(place.file), place.file)
        plan = Plan("", f"comment out {place}")
        text.lines[place.line - 1] = "# " + text.lines[place.line - 1]
        plan.propose(ports.tree, {place.file: text.data})
        return plan

    return make


def check_skipped(check: Examination) -> Iterator[Draft]:
    """Files in the host's own places that its installer passes over."""
    ports = check.ports
    for file, why in ports.configuration.skipped():
        folder, _, name = file.rpartition("/")
        place = Place(file, 0)
        better = _sound_name(ports, folder, name)
        if _LEFT.search(name):
            is_own = _OWN_PART.match(name) is not None
            yield Draft(findings.Leftover, findings.Leftover(file=f"/{file}"), place, "", file,
                        [Mend("", removing(file), is_choice=not is_own)])  # fmt: skip
        elif name.endswith(ports.composer.other_endings) and not _reads_as(ports, file, better):
            yield Draft(findings.OtherKind, findings.OtherKind(file=f"/{file}"), place, "", file,
                        [Mend("", removing(file), is_choice=True)])  # fmt: skip
        elif _MEANT.search(name):
            continue
        else:
            mends = [Mend("", partial(_renamed, file, better), is_choice=True)] if better else []
            passed = findings.SkippedFile(file=f"/{file}", what=why)
            advice = findings.RenameOrRemove(file=f"/{file}")
            yield Draft(findings.SkippedFile, passed, place, "", file, mends, advice)


def _renamed(file: str, better: str, ports: Ports) -> Plan:
    plan = Plan("", f"rename /{file} to /{better}")
    plan.propose_renaming(ports.tree, file, better)
    return plan


def _reads_as(ports: Ports, file: str, better: str) -> bool:
    """Whether a file would be read under another name, without anything odd in it, and would say
    something: then it is of this kind of host, whatever its ending says."""
    data = ports.tree.read(file)
    if not better or not data or not data.strip():
        return False
    after = ports.with_edits({better: data, file: None})
    if after.configuration.config_error() and not ports.configuration.config_error():
        return False
    if any(note.place.file == better for note in after.configuration.notes()):
        return False
    sources = any(
        place.file == better for source in after.configuration.sources for place in source.places
    )
    return sources or any(rule.place.file == better for rule in after.rules.in_force())


def _sound_name(ports: Ports, folder: str, name: str) -> str:
    """A name under which the installer would read a file; empty where none offers itself."""
    stem, dot, ending = name.rpartition(".")
    endings = ports.examiner.endings_of(folder) or ports.composer.snippet_endings
    if not dot or f".{ending}" not in endings:
        told = (end for end in endings if end and f"{end}." in f"{name}.")
        stem, ending = (name if not dot else stem), next(told, endings[0] if endings else "")
        stem = stem.removesuffix(ending) if ending else stem
    else:
        ending = f".{ending}"
    better = f"{folder}/{_ODD_BYTES.sub('-', stem).strip('-.')}{ending}"
    return better if better != f"{folder}/{name}" and not ports.tree.exists(better) else ""


def check_rights(check: Examination) -> Iterator[Draft]:
    """Files of the configuration that others than their owner may write."""
    tree = check.ports.tree
    for file in dict.fromkeys(check.examiner.own_files()):
        mode = tree.mode(file)
        if mode is not None and mode & _WRITABLE:
            yield rights_draft(file, findings.FileWritable, mode, mode & ~_WRITABLE)


def check_interrupted(check: Examination) -> Iterator[Draft]:
    """A change that was interrupted and could not be put right yet."""
    if is_interrupted(check.ports.tree.root):
        yield Draft(
            findings.Interrupted,
            findings.Interrupted(),
            Place("var/lib/velpin/journal", 0),
            advice=findings.RunAsRoot(),
        )


CHECKS: tuple[Check, ...] = (check_entries, check_skipped, check_rights, check_interrupted)
