"""Which key of an rpm host may sign for which source."""

from __future__ import annotations

from velpin.kinds.rpm.state import RpmState
from velpin.kinds.rpm.trust import named_keys, ring
from velpin.model.host import KeyUse
from velpin.trust.named import use_of
from velpin.trust.openpgp import Key


def key_uses(host: RpmState) -> list[KeyUse]:
    """Every named key once for each place it stands in; those of the host's ring come last."""
    uses: dict[tuple[str, str], tuple[Key, list[str]]] = {}
    unnamed: list[str] = []
    for source in host.sources:
        named = named_keys(host, source)
        if named.how == "none":
            continue
        if not source.keys:
            unnamed.append(source.handle)
        for key in named.keys:
            if key.where in named.files:
                uses.setdefault((key.fingerprint, key.where), (key, []))[1].append(source.handle)
    found = [use_of(key, handles) for key, handles in uses.values()]
    return found + [use_of(key, unnamed, everything=True) for key in ring(host)]


def key_problems(host: RpmState) -> list[str]:
    """Keys that are named and cannot be used, and why."""
    found = (text for source in host.sources for text in named_keys(host, source).problems)
    return list(dict.fromkeys(found))
