"""Every rule in force, whoever wrote it: what it says and what it decides today."""

from __future__ import annotations

from collections.abc import Iterator

from velpin.kinds.alpm.config import Directive
from velpin.kinds.alpm.ignored import takes
from velpin.kinds.alpm.rules.settled import names_meant
from velpin.kinds.alpm.rules.written import Standing, standing
from velpin.kinds.alpm.source import ALL_USES, AlpmSource
from velpin.kinds.alpm.state import AlpmState
from velpin.model import Fact, Reason
from velpin.orders import order_of
from velpin.wish import Rule, short_of


def rules(host: AlpmState) -> list[Rule]:
    """All rules: where sections were put, what they are used for, what is ignored."""
    found = [*_of_sources(host), *_ignored(host)]
    wishes = {one.place: one.wish for one in standing(host)}
    told = []
    for rule in found:
        wish = wishes.pop(rule.place, None)
        says = Reason("says-wish", {"wish": short_of(wish)}) if wish else rule.says
        told.append(rule._replace(says=says, wish=wish))
    ordered = [one for one in standing(host) if one.wish.kind == "prefer"]
    return [_of_order(host, one) for one in ordered] + told


def _of_order(host: AlpmState, stands: Standing) -> Rule:
    """A section that stands where a wish wants it."""
    wish = stands.wish
    handles = {source.handle for source in host.sources if source.on}
    subject = host.by_handle.get(wish.source)
    says = Reason("says-wish", {"wish": short_of(wish)})
    mine = set(names_meant(host, "*", wish.source)) if wish.source in handles else set()
    named = {one for pair in order_of(host.sources, wish).pairs() for one in pair if one in handles}
    theirs = {name for one in named - {wish.source} for name in names_meant(host, "*", one)}
    common = mine & theirs
    dead: Reason | None = None
    if subject is None:
        dead = Reason("rule-names-nobody", {"source": wish.source})
    elif not subject.on:
        dead = Reason("rule-source-off", {"sources": wish.source})
    elif not common:
        dead = Reason("rule-idle", {})
    installed = tuple(sorted(name for name in common if host.pool.installed(name)))
    rank = subject.rank if subject else 0
    return Rule(stands.place, says, wish, rank, len(common), installed, dead)


def _of_sources(host: AlpmState) -> Iterator[Rule]:
    by_name = {source.handle: source for source in host.sources if source.on}
    for section in host.config.sections:
        for one in section.of("Usage"):
            if by_name[section.name].uses == ALL_USES:
                continue
            yield _usage(host, by_name[section.name], one)


def _usage(host: AlpmState, source: AlpmSource, one: Directive) -> Rule:
    index = host.index(source)
    facts: dict[str, Fact] = {"sources": source.handle, "uses": (one.text or "").lower()}
    names = index.names() if index else []
    installed = tuple(name for name in names if host.pool.installed(name))
    return Rule(one.place, Reason("says-usage", facts), None, source.rank, len(names), installed)


def _ignored(host: AlpmState) -> Iterator[Rule]:
    for one in host.config.options.of("IgnorePkg"):
        yield _names_ignored(host, one)
    for one in host.config.options.of("IgnoreGroup"):
        yield _groups_ignored(host, one)


def _names_ignored(host: AlpmState, one: Directive) -> Rule:
    globs = (one.text or "").split()
    names = [name for glob in globs for name in names_meant(host, glob)]
    code = "says-ignore"
    return _rule(host, one, code, globs, names)


def _groups_ignored(host: AlpmState, one: Directive) -> Rule:
    globs = (one.text or "").split()
    names = {
        row.name
        for index in [*(index for _, index in host.indexes), host.record]
        if index is not None
        for group in index.all_linked("G")
        if any(takes(glob, group) for glob in globs)
        for row in index.linked("G", group)
    }
    code = "says-ignore-group"
    return _rule(host, one, code, globs, sorted(names))


def _rule(host: AlpmState, one: Directive, code: str, globs: list[str], names: list[str]) -> Rule:
    text = " ".join(globs)
    installed = tuple(dict.fromkeys(name for name in names if host.pool.installed(name)))
    offers = sum(len(host.pool.offered(name)) for name in dict.fromkeys(names))
    dead = None if names else Reason("rule-no-package", {"names": text})
    facts: dict[str, Fact] = {"names": text}
    return Rule(one.place, Reason(code, facts), None, 0, offers, installed, dead)
