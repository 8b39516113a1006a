"""From wishes to a plan: merged with those that stand, compiled, proved, contradictions named.

Nothing is written here. What the plan would write is read back by the ordinary reader, and
every wish, the new ones and those from before, must then hold.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import islice
from typing import NamedTuple

from velpin.change.plan import Plan
from velpin.errors import HostFileError, Refusal, UsageError
from velpin.kinds.deb.control import decode, encode, read_stanzas
from velpin.kinds.deb.forecast import forecast, would_work
from velpin.kinds.deb.offers import find_source
from velpin.kinds.deb.requests import No, decide
from velpin.kinds.deb.rules.compiled import has_several_ways, ways
from velpin.kinds.deb.rules.meaning import (
    fast_sections,
    fits,
    handles_meant,
    is_meant,
    names_meant,
    names_of,
    packages_meant,
    sources_meant,
    split_name,
    unfinished_names,
)
from velpin.kinds.deb.rules.numbers import contradicted, numbers_for, order_of
from velpin.kinds.deb.rules.proof import verdict
from velpin.kinds.deb.rules.written import (
    Draft,
    Written,
    check_understood,
    main_file,
    own_file,
    rewritten,
    standing,
    wish_of,
    without_records,
)
from velpin.kinds.deb.state import DebState
from velpin.model import Fact, Place, Reason, Verdict, WayOut, Wish
from velpin.request import parse_request
from velpin.wish import command_of

_MOST_ASKED = 6
"""Packages of a confined source that are asked for, to see what they lack."""
_FEW = 6
_OF_SOURCES = ("prefer", "confine")
_BOUNDS = ("<", ">", "=")


class _Target(NamedTuple):
    """The wishes as they are to stand, each with its file, and which of them are new."""

    kept: list[tuple[Wish, str]]
    new: list[tuple[Wish, str]]
    gone: list[Written]


def plan_wishes(host: DebState, wishes: Sequence[Wish], *, foremost: bool = False) -> Plan:
    """What making some wishes would write.

    Raises Refusal where a wish means nothing here, HostFileError where the host's own files
    are not understood. What makes it impossible otherwise is the plan's `error`.
    """
    _refuse_broken(host)
    wishes = [_settled(host, wish) for wish in wishes]
    plan = Plan(" && ".join(map(command_of, wishes)), "; ".join(map(_short, wishes)))
    plan.wishes = list(wishes)
    for wish in wishes:
        plan.findings += _findings(host, wish)
    file = main_file(host) if foremost else own_file(host)
    target = _merged(standing(host), [(wish, file) for wish in wishes])
    try:
        _check_orders(host, target)
        _compile(host, plan, target)
    except Refusal as problem:
        plan.error = problem
        return plan
    if not plan.unchanged:
        _judge(host, plan, target, foremost=foremost)
    return plan


def plan_lift(host: DebState, wishes: Sequence[Wish]) -> Plan:
    """What taking back some wishes would write; Refusal where none such stands."""
    _refuse_broken(host)
    plan = Plan(
        " && ".join(command_of(wish, lift=True) for wish in wishes),
        "; ".join(f"no longer {_short(wish)}" for wish in wishes),
    )
    stand = standing(host)
    left: list[tuple[Wish, str]] = []
    gone: list[Written] = []
    for one in stand:
        rest = one.wish
        for wish in wishes:
            rest = _without(host, rest, wish)
        if rest != one.wish:
            gone.append(one)
            left += [(rest, one.file)] if _says_something(rest) else []
    for wish in wishes:
        if not any(_without(host, one.wish, wish) != one.wish for one in stand):
            raise Refusal(f"no rule of velpin says: {command_of(wish)}", "velpin rules lists them")
    kept = [(one.wish, one.file) for one in stand if one not in gone]
    _compile(host, plan, _Target(kept, left, gone), retry=False)
    return plan


def plan_rule_drop(host: DebState, place: Place) -> Plan:
    """What taking away the record at a place would write, whoever wrote it."""
    data = host.tree.read(place.file)
    text = decode(data or b"")
    check_understood(place.file, text)
    for stanza in read_stanzas(text):
        if stanza.line <= place.line < stanza.end:
            wish = wish_of(stanza)
            if wish:
                return plan_lift(host, [wish])
            plan = Plan(f"velpin rules drop {place}", f"drop the rule at {place}")
            new = without_records(text, [stanza.line])
            plan.propose(host.tree, {place.file: encode(new) if new.strip() else None})
            return plan
    raise Refusal(f"there is no rule at {place}", "velpin rules lists them, with their places")


def _refuse_broken(host: DebState) -> None:
    """A host whose files its installer refuses is to be put right first."""
    problem = host.refusal()
    if isinstance(problem, HostFileError):
        raise problem


# -- what a wish says here ---------------------------------------------------------------


def _settled(host: DebState, wish: Wish) -> Wish:
    """A wish with its sources by their handles; Refusal where it means nothing here."""
    if any(mark in wish.version[:2] for mark in _BOUNDS):
        raise Refusal(
            f"the host cannot pin {wish.names[0]} by a bound ({wish.version}): a record names"
            " one version, or a glob",
            _nearest_version(host, wish),
        )
    for text in (wish.source, *wish.over, *wish.under):
        if text:
            sources_meant(host, text)
    if wish.source and wish.kind == "pin":
        wish = wish._replace(source=find_source(host, wish.source).handle)
    elif wish.source:
        found = sources_meant(host, wish.source)
        wish = wish._replace(source=found[0].handle if len(found) == 1 else wish.source)
    if wish.kind == "prefer" and not (wish.over or wish.under or wish.over_all):
        raise UsageError(
            f"prefer {wish.source} over what?",
            f"velpin prefer {wish.source} --over SOURCE, --over-all, or --under SOURCE",
        )
    if wish.kind == "prefer" and not any(order_of(host, wish).pairs()):
        raise Refusal(
            f"{command_of(wish)}: that names no source but {wish.source} itself",
            "velpin sources lists those of this host",
        )
    if wish.kind == "keep":
        _refuse_not_installed(host, wish)
    return wish


def _nearest_version(host: DebState, wish: Wish) -> str:
    """The pin of the best version within a bound."""
    package = next(packages_meant(host, wish._replace(version="")), None)
    if package is None:
        return "no source has that package"
    request = parse_request(f"{package.name}@{wish.version}", host.knows, wish.source)
    try:
        chosen = decide(host, request, package).chosen
    except No:
        return "no source has such a version"
    return f"the nearest: {command_of(wish._replace(version=chosen.text))}"


def _refuse_not_installed(host: DebState, wish: Wish) -> None:
    for name in wish.names:
        one = wish._replace(names=(name,))
        if not any(package.installed for package in packages_meant(host, one)):
            raise Refusal(
                f"{name} is not installed: there is nothing to keep",
                f"for a version that is wanted later: velpin pin {split_name(name)[0]}@VERSION",
            )


def _findings(host: DebState, wish: Wish) -> list[Reason]:
    """What speaks against a wish: it names what is not there."""
    found = []
    handles = handles_meant(host, [wish.source]) if wish.source else []
    for name in wish.names:
        of = handles[0] if len(handles) == 1 and wish.kind != "keep" else ""
        if not names_meant(host, [name], of=of):
            code = "no-name-there" if of else "no-such-name"
            found.append(Reason(code, {"name": name, "source": of}))
        elif wish.version and not _has_version(host, wish._replace(names=(name,))):
            facts = {"name": name, "version": wish.version, "source": wish.source}
            found.append(Reason("no-such-version", facts))
    if wish.pre_releases and not _has_unfinished(host, wish):
        found.append(Reason("nothing-unfinished", {"source": wish.source}))
    return found


def _has_version(host: DebState, wish: Wish) -> bool:
    return any(
        fits(wish, version)
        for package in packages_meant(host, wish)
        for version in package.versions
    )


def _has_unfinished(host: DebState, wish: Wish) -> bool:
    return any(
        fast_sections(host, source) or _unfinished(host, wish, source.handle)
        for source in sources_meant(host, wish.source)
    )


def _unfinished(host: DebState, wish: Wish, handle: str) -> list[str]:
    """Names that a wish means, of which a source has versions that are not final."""
    found = unfinished_names(host, handle)
    return sorted(name for name in found if not wish.names or is_meant(wish.names, name))


def _barred_too(host: DebState, wish: Wish) -> Iterator[Reason]:
    """Other sources whose versions a bar of what is not final meets as well."""
    mine = set(handles_meant(host, [wish.source]))
    names = {name for handle in mine for name in names_of(host, handle)}
    for source in host.sources:
        if source.on and source.handle not in mine:
            also = [name for name in _unfinished(host, wish, source.handle) if name in names]
            if also:
                facts: dict[str, Fact] = {"names": ", ".join(also[:_FEW]), "source": source.handle}
                yield Reason("barred-too", facts)


# -- merging -----------------------------------------------------------------------------


def _merged(stand: Sequence[Written], new: Sequence[tuple[Wish, str]]) -> _Target:
    """The wishes that stand with new ones among them; of one subject the last word counts."""
    left: list[tuple[Wish, str, Written | None]] = [(one.wish, one.file, one) for one in stand]
    gone: list[Written] = []
    for one, file in new:
        wish = one
        again: list[tuple[Wish, str, Written | None]] = []
        for old, old_file, written in left:
            if _same_shape(old, wish):
                names = dict.fromkeys((*old.names, *wish.names))
                wish = wish._replace(names=tuple(names))
                rest = None
            else:
                rest = _less(old, wish)
            if rest == old:
                again.append((old, old_file, written))
                continue
            gone += [written] if written else []
            again += [(rest, old_file, None)] if rest else []
        left = [*again, (wish, file, None)]
    kept = [(wish, file) for wish, file, written in left if written]
    return _Target(kept, [(wish, file) for wish, file, written in left if not written], gone)


def _same_shape(old: Wish, new: Wish) -> bool:
    """Whether two wishes differ in nothing but their names."""
    return old._replace(names=()) == new._replace(names=()) and old.kind != "prefer"


def _less(old: Wish, new: Wish) -> Wish | None:
    """What is left of a wish when a new one takes its place for some of its names."""
    if old.kind != new.kind:
        return old
    if old.kind == "prefer":
        return None if old.source == new.source else old
    if old.kind != "pin":
        return old
    names = tuple(name for name in old.names if name not in new.names)
    return old._replace(names=names) if names else None


def _without(host: DebState, old: Wish, lifted: Wish) -> Wish:
    """What is left of a wish when some of it is taken back; without names: nothing."""
    if old.kind != lifted.kind:
        return old
    if lifted.source and not _same_source(host, old.source, lifted.source):
        return old
    if lifted.version and lifted.version != old.version:
        return old
    if lifted.pre_releases != old.pre_releases or lifted.sections != old.sections:
        return old
    names = tuple(name for name in old.names if name not in lifted.names)
    if old.kind == "prefer" or not lifted.names or (old.names and not names):
        return old._replace(names=(), source="")
    return old._replace(names=names)


def _same_source(host: DebState, one: str, other: str) -> bool:
    if one == other:
        return True
    known = {source.handle: source.repository for source in host.sources}
    return other in (known.get(one), one)


def _says_something(wish: Wish) -> bool:
    return bool(wish.names) or (wish.kind == "bar" and bool(wish.source))


# -- compiling ---------------------------------------------------------------------------


def _check_orders(host: DebState, target: _Target) -> None:
    old = [
        order_of(host, wish)
        for wish, _ in target.kept
        if wish.kind == "prefer" and _is_there(host, wish)
    ]
    for wish, _ in target.new:
        if wish.kind != "prefer":
            continue
        other = contradicted(order_of(host, wish), old)
        if other:
            raise _contradiction(wish, other)


def _contradiction(wish: Wish, other: Wish) -> Refusal:
    if other == wish:
        return Refusal(f"{command_of(wish)}: that contradicts itself")
    return Refusal(
        f"{command_of(wish)}: that contradicts a wish made before: {command_of(other)}",
        f"take that one back first: {command_of(other, lift=True)}",
    )


def _is_there(host: DebState, wish: Wish) -> bool:
    """Whether every source that a wish names is on this host."""
    try:
        handles_meant(host, [text for text in (wish.source, *wish.over, *wish.under) if text])
    except Refusal:
        return False
    return True


def _compile(host: DebState, plan: Plan, target: _Target, *, retry: bool = True) -> None:
    """Put into the plan what writing the target takes; wishes for sources are settled anew
    together, since each number depends on the others."""
    together = any(one.kind in _OF_SOURCES for one, _ in target.new) or any(
        one.wish.kind in _OF_SOURCES for one in target.gone
    )
    again = [
        pair for pair in target.kept
        if together and pair[0].kind in _OF_SOURCES and _is_there(host, pair[0])
    ]  # fmt: skip
    redone = [*target.gone, *(one for one in standing(host) if (one.wish, one.file) in again)]
    base = host.with_edits(rewritten(host.tree, redone, []))
    wishes = [*again, *target.new]
    orders = [order_of(base, wish) for wish, _ in wishes if wish.kind == "prefer"]
    numbers = numbers_for(base, orders) if orders else {}
    drafts = [Draft(wish, file, next(ways(base, wish, numbers))) for wish, file in again]
    for wish, file in target.new:
        drafts.append(_proved(host, base, (wish, file), numbers, redone, drafts, retry=retry))
    edits = rewritten(host.tree, redone, drafts)
    plan.propose(host.tree, {f: data for f, data in edits.items() if data != host.tree.read(f)})


def _proved(
    host: DebState,
    base: DebState,
    target: tuple[Wish, str],
    numbers: dict[str, int],
    gone: Sequence[Written],
    drafts: Sequence[Draft],
    *,
    retry: bool,
) -> Draft:
    """The first way to write a wish that the forecast proves; where none is, the first."""
    wish, file = target
    if not (retry and has_several_ways(wish)):
        return Draft(wish, file, next(ways(base, wish, numbers)))
    found: list[Draft] = []
    for records in ways(base, wish, numbers):
        found.append(Draft(wish, file, records))
        edits = rewritten(host.tree, gone, [*drafts, found[-1]])
        if verdict(host.with_edits(edits), wish).holds:
            return found[-1]
    return found[0]


# -- judging -----------------------------------------------------------------------------


def _judge(host: DebState, plan: Plan, target: _Target, *, foremost: bool) -> None:
    """See whether the plan does what was wished, and leaves standing what was wished before."""
    after = host.with_edits(plan.edits)
    for wish, _ in target.new:
        found = verdict(after, wish)
        if not found.holds:
            plan.unmet = found
            plan.error = _contradicted_by(host, after, plan, wish, found)
            if not plan.error:
                plan.ways_out += _ways_out(host, wish, found, foremost=foremost)
            return
    for wish, _ in target.kept:
        if _is_there(host, wish) and verdict(host, wish).holds and not verdict(after, wish).holds:
            plan.error = _contradiction(plan.wishes[0], wish)
            return
    for wish, _ in target.new:
        if wish.kind == "confine":
            plan.notes += islice(_left_without(host, after, wish), 1)
        if wish.pre_releases:
            plan.notes += _barred_too(host, wish)


def _left_without(host: DebState, after: DebState, wish: Wish) -> Iterator[Reason]:
    """Packages that a confined source may give, and which then lack what it may not give."""
    handles = handles_meant(host, [wish.source])
    for name in names_meant(host, wish.names, of=handles[0])[:_MOST_ASKED]:
        if would_work(after, [name]):
            continue
        was = forecast(host, [name])
        lacking = [
            change.name
            for change in was.changes
            if change.source in handles and not is_meant(wish.names, change.name)
        ]
        if lacking:
            facts = {"name": name, "lacking": ", ".join(lacking)}
            more = wish._replace(names=tuple(lacking))
            yield Reason("left-without", {**facts, "command": command_of(more)})


def _contradicted_by(
    host: DebState, after: DebState, plan: Plan, wish: Wish, found: Verdict
) -> Refusal | None:
    """The refusal where the rule that wins is a wish made before."""
    for one in standing(after):
        places = [Place(one.file, line) for line in one.lines]
        if found.rival in places and one.wish not in plan.wishes:
            return _contradiction(wish, one.wish)
    return None


def _ways_out(
    host: DebState, wish: Wish, found: Verdict, *, foremost: bool
) -> Iterator[WayOut]:  # fmt: skip
    """Small changes with which the wish would hold; each was tried."""
    if found.why and found.why.code == "would-go-back" and not wish.allow_older:
        older = wish._replace(allow_older=True)
        if _would_hold(host, older, foremost=foremost):
            yield WayOut(command_of(older), Reason("with-older", {}))
    if not found.rival:
        return
    if not foremost and _would_hold(host, wish, foremost=True):
        what = Reason("foremost-wins", {"file": main_file(host)})
        yield WayOut(command_of(wish) + " --foremost", what)
    edits = plan_rule_drop(host, found.rival).edits if host.tree.exists(found.rival.file) else {}
    if edits and _would_hold(host.with_edits(edits), wish, foremost=foremost):
        facts = {"place": str(found.rival)}
        yield WayOut(f"velpin rules drop {found.rival}", Reason("rule-gone", facts))


def _would_hold(host: DebState, wish: Wish, *, foremost: bool) -> bool:
    file = main_file(host) if foremost else own_file(host)
    plan = Plan("", "")
    try:
        target = _merged(standing(host), [(wish, file)])
        _compile(host, plan, target)
    except (Refusal, HostFileError):
        return False
    return all(verdict(host.with_edits(plan.edits), one).holds for one, _ in target.new)


def _short(wish: Wish) -> str:
    return command_of(wish).removeprefix("velpin ")
