"""Reasons that only rules of alpm hosts give."""

from __future__ import annotations

from velpin.model.reason import Reason


class StillStandsLater(Reason):
    says = "{other} would still come before {source}"
    other: str
    source: str


class ComesUnasked(Reason):
    says = "{name} would still come from {source} without being asked for"
    name: str
    source: str


class SaysIgnore(Reason):
    says = "keep {names}: ignored in upgrades and as dependencies"
    names: str


class SaysIgnoreGroup(Reason):
    says = "keep the packages of {names}: ignored in upgrades and as dependencies"
    names: str


class SaysUsage(Reason):
    says = "{sources} is only used to {uses}"
    sources: str
    uses: str


class RuleNamesNobody(Reason):
    says = "no source is called {source} any more"
    source: str
