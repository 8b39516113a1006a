"""Random rules for a host, and whether its forecasts show them: asked of single forecasts only."""

from __future__ import annotations

import fnmatch
import random
from dataclasses import replace

from tests.installer.drawn import NAMES
from velpin.host.host import Host
from velpin.kinds.deb import DebPorts
from velpin.model.forecast import Answer
from velpin.model.rule import Bar, Confine, Keep, Pin, Prefer, Rule
from velpin.ports.view import View

GLOBS = ("g*", "*e*", "fog*", "?ern", "b*")


def draw_rule(host: DebPorts, pick: random.Random) -> Rule:
    """One rule that may or may not make sense on a host of `Drawn`."""
    handles = [source.handle for source in host.configuration.sources]
    one = pick.choice(handles)
    name = pick.choice([*map(str.lower, NAMES)] * 3 + [*GLOBS, "absent"])
    texts = [
        v.text for package in host.state.packages.named(name).values() for v in package.versions
    ]
    version = pick.choice([*texts, "1*"]) if pick.random() < 0.9 else "7.7"
    kind = pick.choice(["prefer", "confine", "pin", "pin", "bar", "keep"])
    if kind == "prefer":
        other = pick.choice(handles)
        by = pick.choice([{"over": (other,)}, {"under": (other,)}, {"over_all": True}])
        return Prefer(one, **by)  # type: ignore[arg-type]
    if kind == "confine":
        return Confine(one, (name,))
    if kind == "pin":
        older = pick.random() < 0.5
        form = pick.choice(["version", "source", "both"])
        source = one if form != "version" else ""
        return Pin((name,), version if form != "source" else "", source, allow_older=older)
    if kind == "bar":
        return pick.choice([
            Bar((name,), source=one), Bar((name,), version),
            Bar((), source=one, pre_releases=True), Bar((), source=one, components=("extra",)),
        ])  # fmt: skip
    installed = host.packages.installed_names()
    return Keep((pick.choice([name, *installed]),))


def read(host: Host) -> DebPorts:
    """What is read of a host."""
    return DebPorts(View(host.tree, host.cache))


def shows(host: Host, rule: Rule) -> str:
    """What of a rule the forecasts of a host do not show; empty where they show it."""
    if isinstance(rule, Confine):  # said again it adds names
        said = [each.rule for each in host.rules.in_force() if isinstance(each.rule, Confine)]
        names = tuple(n for w in said if w.source == rule.source for n in w.names)
        rule = replace(rule, names=names)
    names = [n for n in sorted(read(host).state.indexes.offered_names()) if _is_meant(rule, n)]
    for name in names:
        for answer in host.forecast([name]).answers:
            if answer.package != name:
                continue  # provided by another, about which the rule says nothing
            wrong = _PROBES[rule.kind](host, rule, name, answer) if answer.version else ""
            if wrong:
                return f"{name}: {wrong}"
    return ""


def _is_meant(rule: Rule, name: str) -> bool:
    meant = any(fnmatch.fnmatchcase(name, one) for one in rule.names)
    return not meant if isinstance(rule, Confine) else meant or not rule.names


def _comes(answer: Answer) -> bool:
    return answer.outcome in ("install", "upgrade", "downgrade")


def _pin(host: Host, rule: Rule, name: str, answer: Answer) -> str:
    fitting = [
        offer for offer in host.packages.offers([name])
        if fnmatch.fnmatchcase(offer.version, rule.version or "*")
        and offer.source in ("installed", rule.source or offer.source)
        and offer.state != "source off" and offer.arch in ("all", host.native)
    ]  # fmt: skip
    if not fitting or answer.version in [offer.version for offer in fitting]:
        return ""
    return f"{answer.version} from {answer.source}"


def _bar(host: Host, rule: Rule, name: str, answer: Answer) -> str:
    if rule.components or not _comes(answer):
        return ""
    barred = answer.source == (rule.source or answer.source)
    if rule.pre_releases:
        barred = barred and "rc" in (answer.version or "")
    elif rule.version:
        barred = barred and fnmatch.fnmatchcase(answer.version or "", rule.version)
    return f"comes as {answer.version} from {answer.source}" if barred else ""


def _keep(host: Host, rule: Rule, name: str, answer: Answer) -> str:
    return f"becomes {answer.version}" if answer.installed and _comes(answer) else ""


def _confine(host: Host, rule: Rule, name: str, answer: Answer) -> str:
    """Unless another source, listed later, has the very same version."""
    here = [
        offer.source for offer in host.packages.offers([name]) if offer.version == answer.version
    ]
    only = set(here) <= {rule.source}
    return "comes from there" if only and answer.source == rule.source and _comes(answer) else ""


def _prefer(host: Host, rule: Rule, name: str, answer: Answer) -> str:
    """Where no record mentions single packages, whatever has an offer of the preferred wins."""
    if (
        any(record.names for record in read(host).state.configuration.preferences.records)
        or answer.installed
    ):
        return ""
    others = [s.handle for s in host.sources if s.on] if rule.over_all else rule.over
    has = {
        offer.source for offer in host.packages.offers([name]) if offer.arch in ("all", answer.arch)
    }
    if rule.source in has and answer.source in set(others) - {rule.source}:
        return f"comes from {answer.source}"
    if answer.source == rule.source and has & set(rule.under) - {rule.source}:
        return f"comes from {answer.source}"
    return ""


_PROBES = {"pin": _pin, "bar": _bar, "keep": _keep, "confine": _confine, "prefer": _prefer}
