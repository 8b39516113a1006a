"""Why a version has its priority, is chosen, or is passed over, as data."""

from __future__ import annotations

from collections.abc import Mapping

from velpin.kinds.deb import choice
from velpin.kinds.deb.choice import DebPackage, DebPriority, DebVersion, PriorityCause
from velpin.kinds.deb.preferences import NEVER
from velpin.kinds.deb.reasons import (
    Barred,
    Downgrades,
    FirstListed,
    FirstOfSame,
    HighestPriority,
    HoldOverruled,
    ListedLater,
    LowerPriority,
    Newest,
    Older,
    OlderThanInstalled,
    PriorityDefault,
    PriorityNever,
    PriorityNotAutomatic,
    PriorityOwn,
    PriorityPhased,
    PriorityReason,
    PriorityRecord,
    PriorityRecorded,
    PriorityTarget,
    PriorityUpgradesOnly,
    SameListedLater,
)
from velpin.kinds.deb.version import compare
from velpin.model.forecast import DecidedBy, PassedOver
from velpin.model.reason import Reason
from velpin.model.reasons import Held, IsInstalled


def why_candidate(package: DebPackage, chosen: DebVersion) -> tuple[DecidedBy, tuple[Reason, ...]]:
    """What decided for a candidate, in a word, and the reasons in order."""
    rivals = [
        version for version in package.versions
        if version is not chosen and version.priority.value > 0
    ]  # fmt: skip
    reasons: list[Reason] = [priority_reason(chosen.priority, chosen)]
    installed = package.installed
    if installed and choice.is_older(chosen, installed):
        reasons.append(Downgrades(priority=chosen.priority.value))
    lower = [version for version in rivals if version.priority.value < chosen.priority.value]
    level = [version for version in rivals if version.priority.value == chosen.priority.value]
    decided_by: DecidedBy = "only offer"
    if lower:
        best = max(version.priority.value for version in lower)
        reasons.append(HighestPriority(priority=chosen.priority.value, next=best))
        if any(version.offered for version in lower):
            decided_by = _cause_word(chosen.priority)
    if level:
        decided_by = "version"
        newest = Newest(version=chosen.text, priority=chosen.priority.value)
        same = all(compare(version.text, chosen.text) == 0 for version in level)
        reasons.append(FirstOfSame(version=chosen.text) if same else newest)
    if installed is chosen:
        held = package.held
        reasons.append((Held if held else IsInstalled)(version=chosen.text))
        decided_by = decided_by if rivals else "installed"
    elif installed and package.held:
        reasons.append(HoldOverruled())
    return decided_by, (*reasons, *source_reasons(chosen))


def _cause_word(priority: DebPriority) -> DecidedBy:
    if priority.cause == "record":
        return "rule"
    return "target release" if priority.cause == "target" else "source priority"


_BY_CAUSE: Mapping[PriorityCause, type[PriorityReason]] = {
    "default": PriorityDefault, "not-automatic": PriorityNotAutomatic,
    "upgrades-only": PriorityUpgradesOnly, "phased": PriorityPhased, "target": PriorityTarget,
    "record": PriorityRecord, "own": PriorityOwn, "recorded": PriorityRecorded,
}  # fmt: skip


def priority_reason(priority: DebPriority, version: DebVersion) -> PriorityReason:
    """Why a version has its priority."""
    kind = PriorityNever if priority.value == NEVER else _BY_CAUSE[priority.cause]
    sources = tuple(dict.fromkeys(held.origin.source for held in version.offered))
    record = priority.record
    if record is None:
        return kind(priority=priority.value, version=version.text, source=sources)
    return kind(
        priority=priority.value, version=version.text, place=record.place,
        names=" ".join(record.names) or "*", pin=f"{record.pin.kind} {record.pin.text}".strip(),
        source=sources,
    )  # fmt: skip


def source_reasons(chosen: DebVersion) -> tuple[Reason, ...]:
    """Why it comes from that source, where several have it."""
    offered = list(dict.fromkeys(held.origin.source for held in chosen.offered))
    if len(offered) < 2:
        return ()
    return (FirstListed(source=offered[0], others=tuple(offered[1:])),)


def passed_over(package: DebPackage, chosen: DebVersion, fixed: Reason | None) -> list[PassedOver]:
    """Every offer that was not taken; `fixed` is the cause where the request is."""
    found = []
    why: Reason
    for version in package.versions:
        for place, held in enumerate(version.offered):
            if version is chosen:
                why = ListedLater(first=version.source)
                if place == 0 or held.origin.source == version.source:
                    continue
            else:
                why = fixed or why_not(package, version, chosen)
            found.append(PassedOver(version.text, held.origin.source, why))
        if not version.offered and version.installed and version is not chosen:
            why = fixed or why_not(package, version, chosen)
            found.append(PassedOver(version.text, "", why))
    return found


def why_not(package: DebPackage, version: DebVersion, chosen: DebVersion | None) -> Reason:
    """Why a version is not the candidate."""
    priority = priority_reason(version.priority, version)
    if version.priority.value <= 0:
        return Barred(cause=priority)
    if chosen is None:
        return OlderThanInstalled(cause=priority)
    rival = chosen.priority.value
    installed = package.installed
    kept = installed and choice.is_older(version, installed)
    if kept and version.priority.value < choice.DOWNGRADES:
        return OlderThanInstalled(cause=priority, chosen=rival)
    if version.priority.value < chosen.priority.value:
        return LowerPriority(cause=priority, chosen=rival)
    if compare(version.text, chosen.text) == 0:
        return SameListedLater(cause=priority, chosen=rival)
    return Older(cause=priority, chosen=rival)
