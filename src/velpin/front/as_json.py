"""Values as JSON: the shapes that others may rely on (docs/json.md)."""

from __future__ import annotations

import json
import sys
from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

from velpin.about import HostFacts, KeyUse, Standing
from velpin.front.words import sentence
from velpin.model import Answer, BuildPlan, Forecast, Kept, Offer, PassedOver, Reason
from velpin.shifts import Drift, Shift
from velpin.shown import safe_json, without_logins, without_passwords
from velpin.wish import Rule, command_of

if TYPE_CHECKING:
    from velpin.change.journal import Entry
    from velpin.change.plan import Plan
    from velpin.change.takeover import Takeover


def write(value: Any) -> None:
    """Print one JSON value."""
    text = json.dumps(value, indent=1, ensure_ascii=False)
    sys.stdout.write(safe_json(without_logins(text)) + "\n")


def of_reason(reason: Reason) -> dict[str, Any]:
    """A reason: its code, its facts and its sentence."""
    told = {"code": reason.code, "text": sentence(reason), **reason.facts}
    return {**told, "because": [of_reason(one) for one in reason.then]} if reason.then else told


def of_forecast(found: Forecast) -> dict[str, Any]:
    """A forecast, as described in docs/json.md."""
    return {
        "host": {"kind": found.kind, "arch": found.arch},
        "ok": found.ok,
        "problem": sentence(found.problem) if found.problem else None,
        "answers": [_answer(answer) for answer in found.answers],
        "changes": [change._asdict() for change in found.changes],
        "download_bytes": found.download_bytes,
        "disk_bytes": found.disk_bytes,
        "notes": [of_reason(note) for note in found.notes],
        "because": [of_reason(reason) for reason in found.chain],
        "ways_out": [{"command": w.command, **of_reason(w.what)} for w in found.ways_out],
        "kept_back": [_kept(one) for one in found.kept],
        "no_longer_needed": list(found.unneeded),
        "builds": [_build(one) for one in found.builds],
    }


def _build(one: BuildPlan) -> dict[str, Any]:
    return {
        "asked": one.asked,
        "problem": of_reason(one.problem) if one.problem else None,
        "steps": [
            {**step._asdict(), "needs": [need._asdict() for need in step.needs]}
            for step in one.steps
        ],
        "changes": [change._asdict() for change in one.changes],
    }


def _kept(one: Kept) -> dict[str, Any]:
    return {**one._asdict(), "why": [of_reason(reason) for reason in one.why]}


def _answer(answer: Answer) -> dict[str, Any]:
    return {
        "asked": answer.asked,
        "package": answer.package,
        "arch": answer.arch,
        "outcome": answer.outcome,
        "installed": answer.installed,
        "version": answer.version,
        "source": answer.source,
        "url": answer.url,
        "decided_by": answer.decided_by,
        "reasons": [of_reason(reason) for reason in answer.reasons],
        "passed_over": [_passed(one) for one in answer.passed_over],
        "problem": of_reason(answer.problem) if answer.problem else None,
        "near": list(answer.near),
    }


def _passed(one: PassedOver) -> dict[str, Any]:
    return {"version": one.version, "source": one.source, "why": sentence(one.why)}


def of_facts(facts: HostFacts) -> dict[str, Any]:
    """What host this is."""
    return {
        "kind": facts.kind,
        "release": dict(facts.release),
        "arch": facts.arch,
        "foreign": list(facts.foreign),
        "sources": {"on": facts.on, "off": facts.off, "not_fetched": facts.not_fetched},
        "oldest_index": facts.oldest,
        "newest_index": facts.newest,
        "installed": facts.installed,
        "held": facts.held,
        "notes": [{"place": str(note.place), "text": note.text} for note in facts.notes],
    }


def of_standing(one: Standing) -> dict[str, Any]:
    """One source and how it stands."""
    return {
        "handle": one.source.handle,
        "tier": one.tier,
        "numbers": [{"number": number, "sections": list(s)} for number, s in one.numbers],
        "state": one.state,
        "address": one.source.address,
        "release": one.source.release,
        "sections": list(one.source.sections),
        "url": one.source.url,
        "channel": list(one.channel),
        "signed": one.signed,
        "signers": list(one.signers),
        "offers": one.offers,
        "dated": one.dated,
        "copy": one.copy or None,
        "places": [str(place) for place in one.source.places],
        "problem": one.problem or None,
    }


def of_offers(found: Sequence[Offer]) -> list[dict[str, Any]]:
    """Offers, in the order given."""
    return [offer._asdict() for offer in found]


def of_keys(found: Sequence[KeyUse]) -> list[dict[str, Any]]:
    """Keys and what they vouch for."""
    return [{**use._asdict(), "fingerprint": use.fingerprint.replace(" ", "")} for use in found]


def of_entry(entry: Entry) -> dict[str, Any]:
    """One entry of the journal, without the contents of the files."""
    return {
        "number": entry.number,
        "time": entry.time,
        "command": entry.command,
        "summary": entry.summary,
        "files": [edit.file for edit in entry.edits],
        "undoes": entry.undoes or None,
        "undone_by": entry.undone_by or None,
    }


def of_plan(
    plan: Plan,
    shift: Shift | None,
    number: int | None,
    unchanged: bool,
    takeover: Takeover | None = None,
) -> dict[str, Any]:
    """A considered change, and the journal entry it became (null for a preview)."""
    return {
        "summary": plan.summary,
        "unchanged": unchanged,
        "entry": number,
        "sources": plan.handles,
        "files": {file: content(data) for file, data in plan.edits.items()},
        "keys": [{**k._asdict(), "fingerprint": k.fingerprint.replace(" ", "")} for k in plan.keys],
        "findings": [of_reason(one) for one in plan.findings],
        "notes": [of_reason(one) for one in plan.notes],
        "wishes": [command_of(wish) for wish in plan.wishes],
        "taken_over": list(takeover.names) if takeover else [],
        "prevented_by": (takeover.command or None) if takeover else None,
        "shift": of_shift(shift) if shift else None,
    }


def content(data: bytes | None) -> str | None:
    """A file's new text, None where it is removed or is no text."""
    if data is None or b"\0" in data:
        return None
    return without_passwords(data.decode("utf-8", "replace"))


def of_shift(shift: Shift) -> dict[str, Any]:
    """What differs between two forecasts of the whole host."""
    return {
        "moved": [
            {
                "name": moved.name,
                "arch": moved.arch,
                "installed": moved.installed,
                "before": _stand(moved.before),
                "after": _stand(moved.after),
            }
            for moved in shift.moved
        ],
        "kept_back": [_kept(one) for one in shift.kept],
        "turned": [
            {"name": one.name, "before": _stand(one.before), "after": _stand(one.after)}
            for one in shift.turned
        ],
        "new_names": [one.name for one in shift.turned if one.before is None],
        "gone_names": [one.name for one in shift.turned if one.after is None],
        "upgrade_problem": of_reason(shift.problem) if shift.problem else None,
        "asked": [
            {"before": _answer(before), "after": _answer(after)} for before, after in shift.asked
        ],
    }


def _stand(stand: tuple[str, str] | None) -> dict[str, str] | None:
    return {"version": stand[0], "source": stand[1]} if stand else None


def of_rule(rule: Rule) -> dict[str, Any]:
    """One rule, and what it decides today."""
    return {
        "place": str(rule.place),
        "says": sentence(rule.says),
        "wish": command_of(rule.wish) if rule.wish else None,
        "number": rule.numbers,
        "offers": rule.offers,
        "installed": list(rule.installed),
        "dead": of_reason(rule.dead) if rule.dead else None,
    }


def of_drift(one: Drift) -> dict[str, Any]:
    """One package that stands otherwise than it once did."""
    told = {**one._asdict(), "before": _stand(one.before), "after": _stand(one.after)}
    return {**told, "causes": list(one.causes), "installed": list(one.installed)}
