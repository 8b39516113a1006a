"""Random wishes for a host, and whether its forecasts show them: asked of single forecasts only."""

from __future__ import annotations

import fnmatch
import random

from tests.installer.drawn import NAMES
from velpin.kinds.deb.host import DebHost
from velpin.model import Answer
from velpin.wish import Wish

GLOBS = ("g*", "*e*", "fog*", "?ern", "b*")


def draw_wish(host: DebHost, pick: random.Random) -> Wish:
    """One wish that may or may not make sense on a host of `Drawn`."""
    handles = [source.handle for source in host.sources]
    one = pick.choice(handles)
    name = pick.choice([*map(str.lower, NAMES)] * 3 + [*GLOBS, "absent"])
    texts = [v.text for package in host.packages(name).values() for v in package.versions]
    version = pick.choice([*texts, "1*"]) if pick.random() < 0.9 else "7.7"
    kind = pick.choice(["prefer", "confine", "pin", "pin", "bar", "keep"])
    if kind == "prefer":
        other = pick.choice(handles)
        by = pick.choice([{"over": (other,)}, {"under": (other,)}, {"over_all": True}])
        return Wish("prefer", (), one, **by)  # type: ignore[arg-type]
    if kind == "confine":
        return Wish("confine", (name,), one)
    if kind == "pin":
        older = pick.random() < 0.5
        form = pick.choice(["version", "source", "both"])
        source = one if form != "version" else ""
        return Wish("pin", (name,), source, version if form != "source" else "", allow_older=older)
    if kind == "bar":
        return pick.choice([
            Wish("bar", (name,), one), Wish("bar", (name,), "", version),
            Wish("bar", (), one, pre_releases=True), Wish("bar", (), one, sections=("extra",)),
        ])  # fmt: skip
    installed = host.installed_names()
    return Wish("keep", (pick.choice([name, *installed]),))


def shows(host: DebHost, wish: Wish) -> str:
    """What of a wish the forecasts of a host do not show; empty where they show it."""
    if wish.kind == "confine":  # said again it adds names
        said = [rule.wish for rule in host.rules() if rule.wish and rule.wish.kind == "confine"]
        wish = wish._replace(
            names=tuple(n for w in said if w.source == wish.source for n in w.names)
        )
    names = [n for n in sorted(host.offered_names()) if _is_meant(wish, n)]
    for name in names:
        for answer in host.forecast([name]).answers:
            if answer.package != name:
                continue  # provided by another, about which the wish says nothing
            wrong = _PROBES[wish.kind](host, wish, name, answer) if answer.version else ""
            if wrong:
                return f"{name}: {wrong}"
    return ""


def _is_meant(wish: Wish, name: str) -> bool:
    meant = any(fnmatch.fnmatchcase(name, one) for one in wish.names)
    return not meant if wish.kind == "confine" else meant or not wish.names


def _comes(answer: Answer) -> bool:
    return answer.outcome in ("install", "upgrade", "downgrade")


def _pin(host: DebHost, wish: Wish, name: str, answer: Answer) -> str:
    fitting = [
        offer for offer in host.offers([name])
        if fnmatch.fnmatchcase(offer.version, wish.version or "*")
        and offer.source in ("installed", wish.source or offer.source)
        and offer.state != "source off" and offer.arch in ("all", host.native)
    ]  # fmt: skip
    if not fitting or answer.version in [offer.version for offer in fitting]:
        return ""
    return f"{answer.version} from {answer.source}"


def _bar(host: DebHost, wish: Wish, name: str, answer: Answer) -> str:
    if wish.sections or not _comes(answer):
        return ""
    barred = answer.source == (wish.source or answer.source)
    if wish.pre_releases:
        barred = barred and "rc" in (answer.version or "")
    elif wish.version:
        barred = barred and fnmatch.fnmatchcase(answer.version or "", wish.version)
    return f"comes as {answer.version} from {answer.source}" if barred else ""


def _keep(host: DebHost, wish: Wish, name: str, answer: Answer) -> str:
    return f"becomes {answer.version}" if answer.installed and _comes(answer) else ""


def _confine(host: DebHost, wish: Wish, name: str, answer: Answer) -> str:
    """Unless another source, listed later, has the very same version."""
    here = [offer.source for offer in host.offers([name]) if offer.version == answer.version]
    only = set(here) <= {wish.source}
    return "comes from there" if only and answer.source == wish.source and _comes(answer) else ""


def _prefer(host: DebHost, wish: Wish, name: str, answer: Answer) -> str:
    """Where no record speaks of single packages, whatever has an offer of the preferred wins."""
    if any(record.names for record in host.preferences.records) or answer.installed:
        return ""
    others = [s.handle for s in host.sources if s.on] if wish.over_all else wish.over
    has = {offer.source for offer in host.offers([name]) if offer.arch in ("all", answer.arch)}
    if wish.source in has and answer.source in set(others) - {wish.source}:
        return f"comes from {answer.source}"
    if answer.source == wish.source and has & set(wish.under) - {wish.source}:
        return f"comes from {answer.source}"
    return ""


_PROBES = {"pin": _pin, "bar": _bar, "keep": _keep, "confine": _confine, "prefer": _prefer}
