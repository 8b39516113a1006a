"""What a rule says on one host: its sources by handle, and what it names that is not there."""

from __future__ import annotations

from dataclasses import replace

from velpin.errors import Refusal, UsageError
from velpin.kinds.deb.requests import DebRequestRefused, decide
from velpin.kinds.deb.rules.lookup import (
    fast_components,
    fits,
    handles_meant,
    is_meant,
    names_meant,
    packages_meant,
    sources_meant,
    split_name,
    unfinished_names,
)
from velpin.kinds.deb.rules.priorities import precedence_of
from velpin.kinds.deb.rules.reasons import NothingUnfinished
from velpin.kinds.deb.state import DebState
from velpin.model.reason import Reason
from velpin.model.request import parse_request
from velpin.model.rule import Bar, Keep, Pin, Prefer, Rule, command_of, with_names
from velpin.model.rule_reasons import NoNameThere, NoSuchName, NoSuchVersion
from velpin.model.shell import shell_word
from velpin.ports.configuration import find_source
from velpin.ports.packages import not_installed

_BOUNDS = ("<", ">", "=")


def resolve_rule(state: DebState, rule: Rule) -> Rule:
    """A rule with its sources by their handles; Refusal where it means nothing here."""
    if isinstance(rule, Pin | Bar) and any(mark in rule.version[:2] for mark in _BOUNDS):
        raise Refusal(
            f"this kind of host cannot pin {rule.names[0]} by a bound ({rule.version}): a record"
            " names one version, or a glob",
            _nearest_version(state, rule),
        )
    if isinstance(rule, Keep):
        _refuse_not_installed(state, rule)
        return rule
    if isinstance(rule, Prefer):
        handles_meant(state, [*rule.over, *rule.under])
    if isinstance(rule, Pin) and rule.source:
        rule = replace(rule, source=find_source(state.configuration.by_handle, rule.source).handle)
    elif rule.source:
        found = sources_meant(state, rule.source)
        rule = replace(rule, source=found[0].handle if len(found) == 1 else rule.source)
    if isinstance(rule, Prefer):
        _check_order(state, rule)
    return rule


def _check_order(state: DebState, rule: Prefer) -> None:
    """UsageError for a rule to prefer a source over nothing, Refusal for one over itself."""
    if not (rule.over or rule.under or rule.over_all):
        raise UsageError(
            f"prefer {rule.source} over what?",
            f"velpin prefer {shell_word(rule.source)} --over SOURCE, --over-all, or --under SOURCE",
        )
    if not any(precedence_of(state, rule).pairs()):
        raise Refusal(
            f"{command_of(rule)}: this names no source other than {rule.source} itself",
            "velpin sources lists those of this host",
        )


def _nearest_version(state: DebState, rule: Pin | Bar) -> str:
    """The pin of the best version within a bound."""
    package = next(packages_meant(state, replace(rule, version="")), None)
    if package is None:
        return "no source has that package"
    request = parse_request(f"{package.name}@{rule.version}", state.packages.knows, rule.source)
    try:
        chosen = decide(state, request, package).chosen
    except DebRequestRefused:
        return "no source has such a version"
    return f"the nearest: {command_of(replace(rule, version=chosen.text))}"


def _refuse_not_installed(state: DebState, rule: Keep) -> None:
    for name in rule.names:
        alone = Keep((name,))
        if not any(package.installed for package in packages_meant(state, alone)):
            bare = shell_word(split_name(name)[0])
            otherwise = f"to pin it later: velpin pin {bare}@VERSION"
            raise not_installed(state.packages, name, otherwise)


def findings(state: DebState, rule: Rule) -> list[Reason]:
    """What speaks against a rule: it names what is not there."""
    found: list[Reason] = []
    handles = handles_meant(state, [rule.source]) if rule.source else []
    for name in rule.names:
        of = handles[0] if len(handles) == 1 else ""
        if not names_meant(state, [name], of=of):
            found.append(NoNameThere(name=name, source=of) if of else NoSuchName(name=name))
        elif rule.version and not _has_version(state, with_names(rule, (name,))):
            found.append(NoSuchVersion(name=name, version=rule.version, source=rule.source))
    if isinstance(rule, Bar) and rule.pre_releases and not _has_unfinished(state, rule):
        found.append(NothingUnfinished(source=rule.source))
    return found


def _has_version(state: DebState, rule: Rule) -> bool:
    return any(
        fits(rule, version)
        for package in packages_meant(state, rule)
        for version in package.versions
    )


def _has_unfinished(state: DebState, rule: Rule) -> bool:
    return any(
        fast_components(state, source) or unfinished(state, rule, source.handle)
        for source in sources_meant(state, rule.source)
    )


def unfinished(state: DebState, rule: Rule, handle: str) -> list[str]:
    """Names that a rule means, of which a source has versions that are not final."""
    found = unfinished_names(state, handle)
    return sorted(name for name in found if not rule.names or is_meant(rule.names, name))
