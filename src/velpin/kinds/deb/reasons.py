"""Why a version has its priority, is chosen, or is passed over, as data."""

from __future__ import annotations

from velpin.kinds.deb import choice
from velpin.kinds.deb.choice import DebPackage, DebPriority, DebVersion
from velpin.kinds.deb.preferences import NEVER
from velpin.kinds.deb.version import compare
from velpin.model.forecast import PassedOver
from velpin.model.reason import Fact, Reason


def why_candidate(package: DebPackage, chosen: DebVersion) -> tuple[str, tuple[Reason, ...]]:
    """What decided for a candidate, in a word, and the reasons in order."""
    rivals = [
        version for version in package.versions
        if version is not chosen and version.priority.value > 0
    ]  # fmt: skip
    reasons = [priority_reason(chosen.priority, chosen)]
    installed = package.installed
    if installed and choice.is_older(chosen, installed):
        reasons.append(Reason("downgrades", {"priority": chosen.priority.value}))
    lower = [version for version in rivals if version.priority.value < chosen.priority.value]
    level = [version for version in rivals if version.priority.value == chosen.priority.value]
    decided_by = "only offer"
    if lower:
        best = max(version.priority.value for version in lower)
        reasons.append(
            Reason("highest-priority", {"priority": chosen.priority.value, "next": best})
        )
        if any(version.offered for version in lower):
            decided_by = _cause_word(chosen.priority)
    if level:
        decided_by = "version"
        newest = Reason("newest", {"version": chosen.text, "priority": chosen.priority.value})
        same = all(compare(version.text, chosen.text) == 0 for version in level)
        reasons.append(Reason("first-of-same", {"version": chosen.text}) if same else newest)
    if installed is chosen:
        held = package.held
        reasons.append(Reason("held" if held else "is-installed", {"version": chosen.text}))
        decided_by = decided_by if rivals else "installed"
    elif installed and package.held:
        reasons.append(Reason("hold-overruled", {}))
    return decided_by, (*reasons, *source_reasons(chosen))


def _cause_word(priority: DebPriority) -> str:
    return {"record": "rule", "target": "target release"}.get(priority.cause, "source priority")


def priority_reason(priority: DebPriority, version: DebVersion) -> Reason:
    """Why a version has its priority."""
    facts: dict[str, Fact] = {"priority": priority.value, "version": version.text}
    if priority.record:
        record = priority.record
        facts |= {
            "place": record.place,
            "names": " ".join(record.names) or "*",
            "pin": f"{record.pin.kind} {record.pin.text}".strip(),
        }
    sources = dict.fromkeys(held.origin.source for held in version.offered)
    facts["source"] = tuple(sources)
    code = f"priority-{priority.cause}"
    if priority.value == NEVER:
        code = "priority-never"
    return Reason(code, facts)


def source_reasons(chosen: DebVersion) -> tuple[Reason, ...]:
    """Why it comes from that source, where several have it."""
    offered = list(dict.fromkeys(held.origin.source for held in chosen.offered))
    if len(offered) < 2:
        return ()
    facts: dict[str, Fact] = {"source": offered[0], "others": tuple(offered[1:])}
    return (Reason("first-listed", facts),)


def passed_over(package: DebPackage, chosen: DebVersion, fixed: Reason | None) -> list[PassedOver]:
    """Every offer that was not taken; `fixed` is the cause where the request is."""
    found = []
    for version in package.versions:
        for place, held in enumerate(version.offered):
            if version is chosen:
                why = Reason("listed-later", {"first": version.source})
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
        return Reason("barred", {**priority.facts, "cause": priority.code})
    if chosen is None:
        return Reason("older-than-installed", priority.facts)
    facts = {**priority.facts, "cause": priority.code, "chosen": chosen.priority.value}
    installed = package.installed
    kept = installed and choice.is_older(version, installed)
    if kept and version.priority.value < choice.DOWNGRADES:
        return Reason("older-than-installed", facts)
    if version.priority.value < chosen.priority.value:
        return Reason("lower-priority", facts)
    if compare(version.text, chosen.text) == 0:
        return Reason("same-listed-later", facts)
    return Reason("older", facts)
