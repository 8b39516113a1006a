"""What a rule says on one host, and what this kind of host can express of it."""

from __future__ import annotations

from velpin.errors import Refusal
from velpin.kinds.alpm.ignored import taken, takes
from velpin.kinds.alpm.relation import fits
from velpin.kinds.alpm.state import AlpmState
from velpin.model.precedence import check_says_something, precedence_of
from velpin.model.reason import Reason
from velpin.model.rule import Bar, Keep, Prefer, Rule, sources_in
from velpin.model.rule_reasons import NoNameThere, NoSuchName
from velpin.model.shell import shell_word
from velpin.ports.configuration import find_source
from velpin.ports.packages import not_installed

ALL = "*"


def resolve_rule(state: AlpmState, rule: Rule) -> Rule:
    """A rule with its sources looked up; Refusal where it means nothing here."""
    for handle in sources_in(rule):
        find_source(state.configuration.by_handle, handle)
    if isinstance(rule, Bar) and rule.components:
        raise Refusal(
            "sources of a host of kind alpm have no components",
            f"velpin bar '*' --from {rule.source}",
        )
    if isinstance(rule, Prefer):
        check_says_something(precedence_of(state.configuration.sources, rule))
        off = [handle for handle in sources_in(rule) if not _is_on(state, handle)]
        if off:
            raise Refusal(
                f"{off[0]} is switched off, and has no place in the order then",
                f"velpin on {shell_word(off[0])}",
            )
    if isinstance(rule, Keep):
        for name in rule.names:
            if not installed_meant(state, name):
                otherwise = "what comes is decided by the order of sources: velpin prefer"
                raise not_installed(state.packages, name, otherwise)
    return rule


def _is_on(state: AlpmState, handle: str) -> bool:
    return find_source(state.configuration.by_handle, handle).on


def names_meant(state: AlpmState, text: str, handle: str = "") -> list[str]:
    """Names that a name or glob means, of one source or of all."""
    if handle:
        index = state.indexes.index(find_source(state.configuration.by_handle, handle))
        names = set(index.names()) if index else set()
    else:
        names = {name for _, index in state.indexes.opened for name in index.names()}
        names.update(state.packages.installed_names())
    return sorted(taken(text, names))


def installed_meant(state: AlpmState, text: str) -> list[str]:
    """Names of installed packages that a name or glob means."""
    return taken(text, state.packages.installed_names())


def version_is(rule: Rule, version: str) -> bool:
    """Whether a version is what a rule names; any where it names none."""
    if not rule.version:
        return True
    for operator in (">=", "<=", "==", ">", "<"):
        if rule.version.startswith(operator):
            return fits(version, operator, rule.version.removeprefix(operator).strip())
    return takes(rule.version, version) or fits(version, "=", rule.version)


def findings(state: AlpmState, rule: Rule) -> list[Reason]:
    """What speaks against a rule: it names what is not there."""
    of = rule.source if isinstance(rule, Bar) else ""
    return [
        NoNameThere(name=name, source=of) if of else NoSuchName(name=name)
        for name in rule.names
        if not names_meant(state, name, of)
    ]
