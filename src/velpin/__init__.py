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
    from velpin.change.journal import JournalEntry
    from velpin.change.plan import KeyShown, NewSource, Plan
    from velpin.change.recovery import is_interrupted, recover
    from velpin.core.generations import GenerationComparison
    from velpin.core.hostfile.conform import Conforming
    from velpin.core.hostfile.format import load_host_file
    from velpin.core.options import WantedOptions
    from velpin.core.snapshot import Snapshot, drift, load_snapshot, save_snapshot
    from velpin.core.takeover import Takeover
    from velpin.errors import (
        FetchError,
        HostError,
        HostFileError,
        PlanRefused,
        Refusal,
        StoreError,
        TrustError,
        UsageError,
        VelpinError,
    )
    from velpin.fetch.download import Transport
    from velpin.files.tree import Tree
    from velpin.front.json_values import jsonable
    from velpin.host.catalog import HostCatalog
    from velpin.host.changes import HostChanges
    from velpin.host.checkup import HostCheckup
    from velpin.host.file import HostInFile
    from velpin.host.host import Host
    from velpin.host.opening import open_host
    from velpin.host.packages import HostPackages
    from velpin.host.rules import HostRules
    from velpin.host.sources import HostSources
    from velpin.model.catalog import CatalogEntry
    from velpin.model.finding import Checkup, Finding, Rehearsal
    from velpin.model.findings import FINDING_CODES
    from velpin.model.forecast import Answer, Change, Forecast, Offer, Stays
    from velpin.model.host import HostFacts, KeyUse, RefreshResult, SearchHit, SourceStatus
    from velpin.model.hostfile import ExpectationResult, ExportedHost
    from velpin.model.installer import Installer
    from velpin.model.instructions import KeyRead, LineRead, Reading, SourceRead
    from velpin.model.looks import IndexSignature, Look
    from velpin.model.reason import Note, Place, Reason
    from velpin.model.report import HostReport
    from velpin.model.rule import Bar, Confine, Keep, Pin, Prefer, Rule, RuleInForce
    from velpin.model.shift import Drift, Selection, Shift, UpgradeResult
    from velpin.model.source import Source
    from velpin.model.way_back import GoingBack, WayBack
    from velpin.store.cache import IndexCache
    from velpin.version import __version__ as __version__

_HOMES = {
    "velpin.change.journal": ("JournalEntry",),
    "velpin.change.plan": ("KeyShown", "NewSource", "Plan"),
    "velpin.change.recovery": ("is_interrupted", "recover"),
    "velpin.core.generations": ("GenerationComparison",),
    "velpin.core.hostfile.conform": ("Conforming",),
    "velpin.core.hostfile.format": ("load_host_file",),
    "velpin.core.options": ("WantedOptions",),
    "velpin.core.snapshot": ("Snapshot", "drift", "load_snapshot", "save_snapshot"),
    "velpin.core.takeover": ("Takeover",),
    "velpin.errors": (
        "FetchError", "HostError", "HostFileError", "PlanRefused", "Refusal", "StoreError",
        "TrustError", "UsageError", "VelpinError",
    ),
    "velpin.fetch.download": ("Transport",),
    "velpin.files.tree": ("Tree",),
    "velpin.front.json_values": ("jsonable",),
    "velpin.host.catalog": ("HostCatalog",),
    "velpin.host.changes": ("HostChanges",),
    "velpin.host.checkup": ("HostCheckup",),
    "velpin.host.file": ("HostInFile",),
    "velpin.host.host": ("Host",),
    "velpin.host.opening": ("open_host",),
    "velpin.host.packages": ("HostPackages",),
    "velpin.host.rules": ("HostRules",),
    "velpin.host.sources": ("HostSources",),
    "velpin.model.catalog": ("CatalogEntry",),
    "velpin.model.finding": ("Checkup", "Finding", "Rehearsal"),
    "velpin.model.findings": ("FINDING_CODES",),
    "velpin.model.forecast": ("Answer", "Change", "Forecast", "Offer", "Stays"),
    "velpin.model.host": ("HostFacts", "KeyUse", "RefreshResult", "SearchHit", "SourceStatus"),
    "velpin.model.instructions": ("KeyRead", "LineRead", "Reading", "SourceRead"),
    "velpin.model.hostfile": ("ExpectationResult", "ExportedHost"),
    "velpin.model.installer": ("Installer",),
    "velpin.model.looks": ("IndexSignature", "Look"),
    "velpin.model.reason": ("Note", "Place", "Reason"),
    "velpin.model.report": ("HostReport",),
    "velpin.model.rule": ("Bar", "Confine", "Keep", "Pin", "Prefer", "Rule", "RuleInForce"),
    "velpin.model.shift": ("Drift", "Selection", "Shift", "UpgradeResult"),
    "velpin.model.source": ("Source",),
    "velpin.model.way_back": ("GoingBack", "WayBack"),
    "velpin.store.cache": ("IndexCache",),
    "velpin.version": ("__version__",),
}  # fmt: skip
"""The module that each public name stands in."""

__all__ = [
    "FINDING_CODES", "Answer", "Bar", "CatalogEntry", "Change", "Checkup", "Confine",
    "Conforming", "Drift", "ExpectationResult", "ExportedHost", "FetchError", "Finding",
    "Forecast", "GenerationComparison", "GoingBack", "Host", "HostCatalog", "HostChanges",
    "HostCheckup", "HostError", "HostFacts", "HostFileError", "HostInFile", "HostPackages",
    "HostReport", "HostRules", "HostSources", "IndexCache", "IndexSignature", "Installer",
    "JournalEntry", "Keep", "KeyRead", "KeyShown", "KeyUse", "LineRead", "Look", "NewSource",
    "Note", "Offer", "Pin", "Place", "Plan", "PlanRefused", "Prefer", "Reading", "Reason",
    "RefreshResult", "Refusal", "Rehearsal", "Rule", "RuleInForce", "SearchHit", "Selection",
    "Shift", "Snapshot", "Source", "SourceRead", "SourceStatus", "Stays", "StoreError",
    "Takeover", "Transport", "Tree", "TrustError", "UpgradeResult", "UsageError", "VelpinError",
    "WantedOptions", "WayBack", "__version__", "drift", "is_interrupted", "jsonable",
    "load_host_file", "load_snapshot", "open_host", "recover", "save_snapshot",
]  # fmt: skip


def __getattr__(name: str) -> Any:
    from importlib import import_module

    for home, names in _HOMES.items():
        if name in names:
            found = globals()[name] = getattr(import_module(home), name)
            return found
    raise AttributeError(f"module 'velpin' has no {name!r}")
