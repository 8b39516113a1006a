"""Velpin: which source and version a host's packages will come from, and why.

    import velpin

    host = velpin.open_host("/")
    found = host.forecast(["tide-gauge"])

docs/api.md has worked examples. The names below are stable; each is loaded when it is first
used, so that importing this module costs nothing.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from velpin.change.plan import KeyShown, NewSource, Plan
    from velpin.change.recovery import is_interrupted, recover
    from velpin.core.hostfile.format import load_host_file
    from velpin.core.snapshot import Snapshot, drift, load_snapshot, save_snapshot
    from velpin.errors import (
        FetchError,
        HostError,
        PlanRefused,
        Refusal,
        TrustError,
        UsageError,
        VelpinError,
    )
    from velpin.front.json_values import jsonable
    from velpin.host.host import Host
    from velpin.host.opening import open_host
    from velpin.model.findings import FINDING_CODES
    from velpin.model.forecast import Answer, Change, Forecast, Offer
    from velpin.model.reason import Reason
    from velpin.model.rule import Bar, Confine, Keep, Pin, Prefer, Rule
    from velpin.model.shift import Selection, Shift
    from velpin.model.source import Source
    from velpin.version import __version__ as __version__

_HOMES = {
    "velpin.model.findings": ("FINDING_CODES",),
    "velpin.change.plan": ("KeyShown", "NewSource", "Plan"),
    "velpin.core.snapshot": ("Snapshot", "drift", "load_snapshot", "save_snapshot"),
    "velpin.host.host": ("Host",),
    "velpin.core.hostfile.format": ("load_host_file",),
    "velpin.change.recovery": ("is_interrupted", "recover"),
    "velpin.host.opening": ("open_host",),
    "velpin.errors": (
        "FetchError", "HostError", "PlanRefused", "Refusal", "TrustError", "UsageError",
        "VelpinError",
    ),
    "velpin.front.json_values": ("jsonable",),
    "velpin.model.forecast": ("Answer", "Change", "Forecast", "Offer"),
    "velpin.model.reason": ("Reason",),
    "velpin.model.rule": ("Bar", "Confine", "Keep", "Pin", "Prefer", "Rule"),
    "velpin.model.shift": ("Selection", "Shift"),
    "velpin.model.source": ("Source",),
    "velpin.version": ("__version__",),
}  # fmt: skip
"""The module that each public name stands in."""

__all__ = [
    "FINDING_CODES", "Answer", "Bar", "Change", "Confine", "FetchError", "Forecast", "Host",
    "HostError", "Keep", "KeyShown", "NewSource", "Offer", "Pin", "Plan", "PlanRefused", "Prefer",
    "Reason", "Refusal", "Rule", "Selection", "Shift", "Snapshot", "Source", "TrustError",
    "UsageError", "VelpinError", "__version__", "drift", "is_interrupted", "jsonable",
    "load_host_file", "load_snapshot", "open_host", "recover", "save_snapshot",
]  # fmt: skip


def __getattr__(name: str) -> Any:
    from importlib import import_module

    for home, names in _HOMES.items():
        if name in names:
            found = globals()[name] = getattr(import_module(home), name)
            return found
    raise AttributeError(f"module 'velpin' has no {name!r}")
