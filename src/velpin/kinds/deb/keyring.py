"""Which key of a deb host may sign for which source."""

from __future__ import annotations

from velpin.kinds.deb.state import DebState
from velpin.model.host import KeyUse
from velpin.trust.named import use_of
from velpin.trust.openpgp import Key


def key_uses(host: DebState) -> list[KeyUse]:
    """Every named key once for each place it stands in; those that sign for all come last."""
    uses: dict[tuple[str, str], tuple[Key, list[str]]] = {}
    by_all: list[str] = []
    for source in host.sources:
        named = host.keys_for(source)
        if named.how in ("common", "none"):
            if named.how == "common":
                by_all.append(source.handle)
            continue
        for key in named.keys:
            uses.setdefault((key.fingerprint, key.where), (key, []))[1].append(source.handle)
    found = [use_of(key, handles) for key, handles in uses.values()]
    return found + [use_of(key, by_all, everything=True) for key in host.keys_for_all([])]


def key_problems(host: DebState) -> list[str]:
    """Keys that are named and cannot be used, and why."""
    problems: list[str] = []
    host.keys_for_all(problems)
    for source in host.sources:
        problems += host.keys_for(source).problems
    return list(dict.fromkeys(problems))
