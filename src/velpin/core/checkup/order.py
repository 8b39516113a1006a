"""Checks of who wins: sources alike, sources that overwrite each other, rules that do nothing."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence
from itertools import combinations, islice

from velpin.change.plan import Plan
from velpin.core.checkup.examination import Check, Examination
from velpin.core.rule_plans import plan_lift, plan_rule_drop, plan_rules
from velpin.core.takeover import MOST_GLOBS, globs_for
from velpin.errors import HostFileError, Refusal, StoreError, VelpinError
from velpin.model import findings
from velpin.model.precedence import contradicted
from velpin.model.rule import (
    Bar,
    Confine,
    Keep,
    Pin,
    Prefer,
    Rule,
    RuleInForce,
    command_of,
    short_of,
)
from velpin.model.rule_reasons import RuleNoSource, RuleOdd, RuleOverruled, RuleSourceOff, SaysRule
from velpin.model.shift import Selection
from velpin.model.source import Source
from velpin.ports.bundle import Ports
from velpin.ports.checks import Draft, Make, Mend, SwitchOff
from velpin.ports.configuration import find_source

_SAMPLE = 240
"""So many names of two sources are held against each other."""
_ALIKE = 0.97
_MOST_NAMES = 400
"""So many names that two sources share are looked at one by one."""
_EARLY = re.compile(
    r"(?i)(?<![a-z])(alpha|beta|rc\d*|testing|unstable|experimental|nightly|nightlies|edge|devel|dev"
    r"|develop|development|canary|preview|snapshot|snapshots|proposed|prerelease|pre-release|early"
    r"|next|staging)(?![a-z])"
)
"""Words by which channels of unfinished versions are called."""


# -- sources alike -------------------------------------------------------------------------


def check_same_content(check: Examination) -> Iterator[Draft]:
    """Two sources with the same packages in the same versions."""
    by_size: list[tuple[int, Source]] = []
    for source in check.sources_on:
        names = check.names_of(source.handle)
        if names:
            by_size.append((len(names), source))
    done: set[str] = set()
    for (size, source), (other_size, other) in combinations(by_size, 2):
        near = 0.9 <= size / other_size <= 1.1
        if other.handle in done or not near or not _same_content(check, source, other):
            continue
        done.add(other.handle)
        what = findings.SameContent(
            source=other.handle, other=source.handle, address=other.url, count=min(size, other_size)
        )
        mends = [SwitchOff(other.handle)]
        yield Draft(findings.SameContent, what, other.places[0], other.handle, source.handle, mends)


def _same_content(check: Examination, one: Source, other: Source) -> bool:
    if check.ports.provenance.is_part_of_same(one, other):
        return False
    names = sorted(check.names_of(one.handle))
    step = max(1, len(names) // _SAMPLE)
    sample = names[::step]
    same = sum(
        bool(mine) and mine == _versions(check, other, name)
        for name in sample
        if (mine := _versions(check, one, name)) is not None
    )
    return same >= _ALIKE * len(sample)


def _versions(check: Examination, source: Source, name: str) -> frozenset[tuple[str, str]]:
    try:
        indexes = check.ports.indexes.of(source)
        return frozenset((row.arch, row.version) for index in indexes for row in index.rows(name))
    except (HostFileError, StoreError):
        return frozenset()


# -- sources that overwrite each other -----------------------------------------------------


def check_overlaps(check: Examination) -> Iterator[Draft]:
    """Publishers whose sources stand in one tier and have packages of the same names."""
    if not check.ports.standing.tiers_matter:
        return
    groups: dict[tuple[int, str], list[Source]] = {}
    tiers = check.ports.standing.tiers()
    for source in check.sources_on:
        if source.handle in tiers:
            group = (tiers[source.handle], check.publishers[source.handle])
            groups.setdefault(group, []).append(source)
    for one, other in combinations(groups.items(), 2):
        if one[0][0] == other[0][0]:
            yield from _overlap(check, *_home_first(check, one[1], other[1]))


def _overlap(
    check: Examination, firsts: Sequence[Source], seconds: Sequence[Source]
) -> Iterator[Draft]:
    """What two publishers' sources contest; `firsts` are the distribution's where one is."""
    if any(_same_content(check, one, other) for one in firsts for other in seconds):
        return
    names = _contested(check, firsts, seconds)
    if not names:
        return
    second = seconds[0]
    what = findings.Overlap(
        source=", ".join(source.handle for source in seconds),
        names=tuple(names),
        other=", ".join(source.handle for source in firsts),
    )
    above = tuple(source.handle for source in firsts)
    rules = [Prefer(second.handle, under=above)]
    if len(firsts) == 1:
        below = tuple(source.handle for source in seconds)
        rules = [Prefer(firsts[0].handle, below), *rules]
    mends = [_making(rule) for rule in rules] if len(seconds) == 1 or len(firsts) == 1 else []
    yield Draft(findings.Overlap, what, second.places[0], second.handle, above[0], mends)


def _home_first(
    check: Examination, one: Sequence[Source], other: Sequence[Source]
) -> tuple[Sequence[Source], Sequence[Source]]:
    return (other, one) if check.is_home(other[0].handle) else (one, other)


def _contested(
    check: Examination, firsts: Sequence[Source], seconds: Sequence[Source]
) -> list[str]:
    """Names of which two groups of sources have different versions that could both be taken,
    installed ones first; of many the first are looked at one by one."""
    theirs, mine = (_names(check, group) for group in (firsts, seconds))
    shared = theirs & mine
    ordered = sorted(shared, key=lambda name: (name not in check.by_name, name))
    handles = [{source.handle for source in group} for group in (firsts, seconds)]
    found = []
    for name in islice(ordered, _MOST_NAMES):
        if check.is_spoken_of(name):
            continue
        live = check.taking_part(name)
        best = max((offer.priority for offer in live), default=0)
        versions = [
            {(offer.arch, offer.version) for offer in live
             if offer.source in group and offer.priority == best}
            for group in handles
        ]  # fmt: skip
        if all(versions) and versions[0] != versions[1]:
            found.append(name)
    return found + ordered[_MOST_NAMES:]


def _names(check: Examination, sources: Iterable[Source]) -> frozenset[str]:
    return frozenset[str]().union(*(check.names_of(source.handle) for source in sources))


def _making(rule: Rule, *, is_choice: bool = True) -> Mend:
    def make(ports: Ports) -> Plan:
        return plan_rules(ports, [rule])

    return Mend(command_of(rule), make, is_choice)


# -- early channels ------------------------------------------------------------------------


def is_early(check: Examination, source: Source) -> str:
    """The word by which a source calls itself one of unfinished versions; empty where none."""
    channel = check.ports.standing.parts_of(source).channel
    path = source.address.partition("://")[2].partition("/")[2]
    for text in (source.release, *source.components, source.handle, path, *channel):
        found = _EARLY.search(text)
        if found:
            return found.group(1)
    return ""


def check_early(check: Examination) -> Iterator[Draft]:
    """A channel of unfinished versions that wins over its publisher's ordinary one."""
    early = {source.handle: is_early(check, source) for source in check.sources_on}
    for source in check.sources_on:
        if not early[source.handle]:
            continue
        ordinary = [
            other
            for other in check.sources_on
            if not early[other.handle]
            and check.publishers[other.handle] == check.publishers[source.handle]
        ]
        wins = _wins_over(check, source, ordinary)
        if wins:
            rules = [Prefer(other.handle, (source.handle,)) for other in ordinary]
            what = findings.EarlyWins(
                source=source.handle,
                word=early[source.handle],
                count=len(wins),
                other=", ".join(other.handle for other in ordinary),
                names=tuple(wins),
            )
            yield Draft(findings.EarlyWins, what, source.places[0], source.handle, "",
                        _preferring(rules, source))  # fmt: skip


def _preferring(rules: Sequence[Rule], source: Source) -> list[Mend | SwitchOff]:
    mends: list[Mend | SwitchOff] = [_making(rules[0])] if len(rules) == 1 else []
    if len(rules) > 1:
        over = tuple(rule.source for rule in rules)
        mends.append(_making(Prefer(source.handle, under=over)))
    mends.append(SwitchOff(source.handle))
    return mends


def _wins_over(check: Examination, source: Source, others: Iterable[Source]) -> list[str]:
    """Names that others have too and that would come from a source, installed ones first."""
    theirs = frozenset[str]().union(*(check.names_of(other.handle) for other in others))
    shared = sorted(
        theirs & check.names_of(source.handle), key=lambda name: (name not in check.by_name, name)
    )
    found = []
    for name in islice(shared, _MOST_NAMES):
        live = check.taking_part(name)
        best = next((offer for offer in live if offer.state == "chosen"), None)
        if best is None:
            answer = check.ports.answers.first(name)
            taken = answer.source if answer else ""
        else:
            taken = best.source
        if taken == source.handle:
            found.append(name)
    return found


# -- vendors that take over ----------------------------------------------------------------


def check_takeovers(check: Examination) -> Iterator[Draft]:
    """Packages of the distribution that come, or would come, from a vendor unasked."""
    would: dict[str, list[str]] = {}
    have: dict[str, list[str]] = {}
    leaving: dict[tuple[str, str], list[str]] = {}
    for (name, arch), (version, selection) in check.upgrade.selections.items():
        here = next((each for each in check.by_name[name] if each.arch == arch), None)
        if here is None or check.is_spoken_of(name):
            continue
        if here.source and not check.is_home(here.source):
            to = _leaves_for(check, name, version, selection)
            if to and check.publishers.get(to) != check.publishers.get(here.source):
                leaving.setdefault((here.source, to), []).append(name)
            elif _has_home(check, name) and not _is_named_family(check, here.source, name):
                have.setdefault(here.source, []).append(name)
        elif (
            selection
            and selection.source
            and not check.is_home(selection.source)
            and selection.version != version
            and _has_home(check, name)
        ):
            would.setdefault(selection.source, []).append(name)
        elif selection is None and name in check.replaced:
            _, pusher = check.replaced[name]
            if pusher and not check.is_home(pusher) and _has_home(check, name):
                would.setdefault(pusher, []).append(name)
    for handle, names in sorted(would.items()):
        source = find_source(check.ports.configuration.by_handle, handle)
        what = findings.WouldTakeOver(source=handle, count=len(names), names=tuple(sorted(names)))
        yield Draft(findings.WouldTakeOver, what, source.places[0], handle, "",
                    list(_against(check, handle, names)))  # fmt: skip
    for (handle, to), names in sorted(leaving.items()):
        source = find_source(check.ports.configuration.by_handle, handle)
        left = findings.WouldLeave(
            source=handle, other=to, count=len(names), names=tuple(sorted(names))
        )
        advice = findings.MayMove(name=min(names))
        yield Draft(findings.WouldLeave, left, source.places[0], handle, to,
                    list(_keeping(handle, to, names)), advice)  # fmt: skip
    for handle, names in sorted(have.items()):
        source = find_source(check.ports.configuration.by_handle, handle)
        total = sum(check.publishers.get(each.source) == check.publishers[handle]
                    for each in check.installed)  # fmt: skip
        taken = findings.TakenOver(
            source=handle, count=len(names), names=tuple(sorted(names)), total=total
        )
        back = findings.SaySoOrGoBack(source=handle, name=min(names))
        yield Draft(findings.TakenOver, taken, source.places[0], handle, "", advice=back)


def _leaves_for(check: Examination, name: str, version: str, selection: Selection | None) -> str:
    """The source whose package takes the place of an installed one with the next upgrade; empty
    if none does."""
    if selection is None:
        return check.replaced.get(name, ("", ""))[1]
    return selection.source or "" if selection.version != version else ""


def _keeping(handle: str, other: str, names: Sequence[str]) -> Iterator[Mend]:
    """Rules under which packages stay with their source: only from it, as they are, it first."""
    if len(names) <= MOST_GLOBS:
        yield _making(Pin(tuple(sorted(names)), source=handle))
        yield _making(Keep(tuple(sorted(names))))
    yield _making(Prefer(handle, (other,)))


def _has_home(check: Examination, name: str) -> bool:
    return any(
        name in check.names_of(source.handle)
        for source in check.sources_on
        if check.is_home(source.handle)
    )


def _is_named_family(check: Examination, handle: str, name: str) -> bool:
    """Whether a source is evidently there for a package: it is called after it."""
    return name in handle or handle in name


def _against(check: Examination, handle: str, names: Sequence[str]) -> Iterator[Mend]:
    """Rules under which a source would not have some packages: it gives only what it alone has;
    these never come from it."""
    alone = sorted(
        check.names_of(handle)
        - frozenset[str]().union(
            *(check.names_of(s.handle) for s in check.sources_on if check.is_home(s.handle))
        )
    )
    pushing = [by for by, pusher in check.replaced.values() if pusher == handle]
    names = list(dict.fromkeys((*names, *pushing)))
    globs = globs_for([name for name in alone if name not in pushing], names)
    if 0 < len(globs) <= MOST_GLOBS:
        yield _making(Confine(handle, tuple(globs)))
    if len(names) <= MOST_GLOBS:
        yield _making(Bar(tuple(sorted(names)), source=handle))
    home = [s.handle for s in check.sources_on if check.is_home(s.handle)]
    if home:
        yield _making(Prefer(handle, under=tuple(home)))


# -- rules ---------------------------------------------------------------------------------


def check_rules(check: Examination) -> Iterator[Draft]:
    """Rules that decide nothing, and those that are always overruled."""
    for rule in check.rules:
        if rule.dead is None or isinstance(rule.dead, RuleOdd):
            continue
        is_overruled = isinstance(rule.dead, RuleOverruled)
        kind = findings.RuleOverruled if is_overruled else findings.RuleDead
        what = findings.RuleDead(place=rule.place, because=(rule.says, rule.dead))
        waits = isinstance(rule.dead, RuleSourceOff | RuleNoSource)
        yield Draft(kind, what, rule.place, "", f"{rule.place.file} {_said(rule)}",
                    [Mend(drop_command(rule), dropping(rule), is_choice=waits)])  # fmt: skip


def _said(rule: RuleInForce) -> str:
    return short_of(rule.rule) if rule.rule else f"{rule.says.code} {dict(rule.says.facts)}"


def drop_command(rule: RuleInForce) -> str:
    """What takes a rule away, whoever wrote it."""
    return command_of(rule.rule, lift=True) if rule.rule else f"velpin rules drop {rule.place}"


def dropping(rule: RuleInForce) -> Make:
    """Takes a rule away, whoever wrote it."""

    def make(ports: Ports) -> Plan:
        if rule.rule:
            return plan_lift(ports, [rule.rule])
        return plan_rule_drop(ports, rule.place)

    return make


def check_contradictions(check: Examination) -> Iterator[Draft]:
    """Rules of Velpin's that do not hold, and those that cannot all hold."""
    rules = check.ports.rules
    try:
        recorded = rules.recorded()
    except VelpinError:
        return
    places = {rule.rule: rule.place for rule in check.rules if rule.rule}
    orders = [rules.precedence(rule) for rule in recorded if isinstance(rule, Prefer)]
    dead = {rule.rule for rule in check.rules if rule.dead}
    for at, rule in enumerate(recorded):
        if rule in dead:
            continue
        why, rival = None, ""
        if isinstance(rule, Prefer):
            mine = rules.precedence(rule)
            against = contradicted(mine, [order for order in orders if order.rule != rule])
            if against is not None and recorded.index(against) < at:
                rival = short_of(against)
        if not rival:
            try:
                found = rules.verdict(rule)
            except (Refusal, VelpinError):
                continue
            if found.holds:
                continue
            why = found.why
        because = (why,) if why else (SaysRule(rule=rival),)
        what = findings.RulesContradict(rule=short_of(rule), because=because)
        mend = Mend(command_of(rule, lift=True), lifting(rule), is_choice=True)
        yield Draft(
            findings.RulesContradict, what, places.get(rule), rule.source, short_of(rule), [mend]
        )


def lifting(rule: Rule) -> Make:
    """Takes a rule of Velpin's back."""

    def make(ports: Ports) -> Plan:
        return plan_lift(ports, [rule])

    return make


CHECKS: tuple[Check, ...] = (
    check_same_content, check_overlaps, check_early, check_takeovers, check_rules,
    check_contradictions,
)  # fmt: skip
