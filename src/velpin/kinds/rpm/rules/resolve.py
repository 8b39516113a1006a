"""What a rule says on one host: its sources by handle, and what it names that is not there."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from velpin.errors import Refusal
from velpin.kinds.rpm.asked import bound_fits, version_fits
from velpin.kinds.rpm.pattern import fitting, is_glob
from velpin.kinds.rpm.pool import RpmPackage
from velpin.kinds.rpm.state import RpmState
from velpin.model.precedence import check_says_something, precedence_of
from velpin.model.reason import Reason
from velpin.model.rule import Bar, Keep, Prefer, Rule, sources_in
from velpin.model.rule_reasons import NoNameThere, NoSuchName, NoSuchVersion
from velpin.model.shell import shell_word
from velpin.ports.configuration import find_source
from velpin.ports.packages import not_installed

_BOUNDS = (">=", "<=", "==", ">", "<")


def resolve_rule(state: RpmState, rule: Rule, check: Callable[[Rule], None]) -> Rule:
    """A rule with its sources looked up; Refusal where it means nothing here."""
    for handle in sources_in(rule):
        find_source(state.configuration.by_handle, handle)
    if isinstance(rule, Bar) and rule.components:
        raise Refusal(
            f"sources of a host of kind {state.kind} have no components",
            f"velpin bar NAME... --from {rule.source}",
        )
    if isinstance(rule, Prefer):
        check_says_something(precedence_of(state.configuration.sources, rule))
    if isinstance(rule, Keep):
        for name in rule.names:
            if not any(True for _ in installed_meant(state, name)):
                otherwise = f"to pin it later: velpin pin {shell_word(name)}@VERSION"
                raise not_installed(state.packages, name, otherwise)
    check(rule)
    return rule


def split_name(text: str) -> tuple[str, str]:
    """A name or glob and the architecture behind its colon."""
    name, _, arch = text.rpartition(":")
    return (name, arch) if name else (text, "")


def names_meant(state: RpmState, text: str, handle: str = "") -> list[str]:
    """Names that a name or glob means, of one source or of all."""
    name, _ = split_name(text)
    if is_glob(name):
        return fitting(state.indexes.names_of(handle) if handle else state.indexes.all_names, name)
    if handle:
        index = state.indexes.index(find_source(state.configuration.by_handle, handle))
        return [name] if index and index.rows(name) else []
    return [name] if any(origin.index.rows(name) for origin in state.packages.pool.origins) else []


def installed_meant(state: RpmState, text: str) -> Iterator[RpmPackage]:
    """Installed builds that a name or glob means."""
    name, arch = split_name(text)
    names = fitting(state.recorded.names, name) if is_glob(name) else [name]
    for known in names:
        for build in state.packages.pool.installed(known):
            if not arch or build.arch == arch:
                yield build


def builds_meant(state: RpmState, text: str, handle: str = "") -> Iterator[RpmPackage]:
    """Builds that a name or glob means, hidden ones too."""
    _, arch = split_name(text)
    for name in names_meant(state, text, handle):
        for build in state.packages.pool.all_named(name):
            if handle and build.origin.handle != handle:
                continue
            if not arch or build.arch == arch:
                yield build


def version_is(rule: Rule, version: str) -> bool:
    """Whether a version is what a rule names; any where it names none."""
    if not rule.version:
        return True
    for operator in _BOUNDS:
        if rule.version.startswith(operator):
            return bound_fits(operator, rule.version.removeprefix(operator), version)
    return version_fits(rule.version, version, any_epoch=True)


def findings(state: RpmState, rule: Rule) -> list[Reason]:
    """What speaks against a rule: it names what is not there."""
    found: list[Reason] = []
    of = "" if isinstance(rule, Prefer) else rule.source
    for name in rule.names:
        builds = builds_meant(state, name, of)
        first = next(builds, None)
        if first is None and not (
            of
            and not find_source(state.configuration.by_handle, of).on
            and names_meant(state, name, of)
        ):
            found.append(NoNameThere(name=name, source=of) if of else NoSuchName(name=name))
        elif rule.version and not any(
            version_is(rule, package.version) for package in (first, *builds) if package
        ):
            found.append(NoSuchVersion(name=name, version=rule.version, source=rule.source))
    return found
