"""From wishes to a plan: merged with those that stand, compiled, proved, contradictions named.

Nothing is written here. What the plan would write is read back by the ordinary reader, and
every wish, the new ones and those from before, must then hold.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence

from velpin.change.plan import Plan
from velpin.errors import HostFileError, Refusal, VelpinError
from velpin.kinds.deb.control import read_stanzas
from velpin.kinds.deb.rules.compiled import has_several_ways, ways
from velpin.kinds.deb.rules.meaning import is_there
from velpin.kinds.deb.rules.merged import Target, merged, says_something, without
from velpin.kinds.deb.rules.numbers import numbers_for, order_of
from velpin.kinds.deb.rules.proof import verdict
from velpin.kinds.deb.rules.settled import findings, settled
from velpin.kinds.deb.rules.written import (
    Draft,
    Written,
    check_understood,
    main_file,
    own_file,
    places,
    rewritten,
    standing,
    wish_of,
    without_records,
)
from velpin.kinds.deb.state import DebState
from velpin.model import Place, Reason, WayOut
from velpin.orders import contradicted
from velpin.text import decode, encode, split_lines
from velpin.wish import Verdict, Wish, command_of, short_of

_TARGET_ALONE = re.compile(r'\s*APT::Default-Release\s+"?[^"\s;]*"?\s*;\s*', re.IGNORECASE)
_OF_SOURCES = ("prefer", "confine")


def plan_wishes(host: DebState, wishes: Sequence[Wish], *, foremost: bool = False) -> Plan:
    """What making some wishes would write.

    Raises Refusal where a wish means nothing here, HostFileError where the host's own files
    are not understood. What makes it impossible otherwise is the plan's `error`.
    """
    _refuse_broken(host)
    wishes = [settled(host, wish) for wish in wishes]
    plan = Plan(" && ".join(map(command_of, wishes)), "; ".join(map(short_of, wishes)))
    plan.wishes = list(wishes)
    for wish in wishes:
        plan.findings += findings(host, wish)
    file = main_file(host) if foremost else own_file(host)
    target = merged(host, standing(host), [(wish, file) for wish in wishes])
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
        "; ".join(f"no longer {short_of(wish)}" for wish in wishes),
    )
    stand = standing(host)
    left: list[tuple[Wish, str]] = []
    gone: list[Written] = []
    for one in stand:
        rest = one.wish
        for wish in wishes:
            rest = without(host, rest, wish)
        if rest != one.wish:
            gone.append(one)
            left += [(rest, one.file)] if says_something(rest) else []
    for wish in wishes:
        if not any(without(host, one.wish, wish) != one.wish for one in stand):
            raise Refusal(f"no rule of velpin says: {command_of(wish)}", "velpin rules lists them")
    kept = [(one.wish, one.file) for one in stand if one not in gone]
    _compile(host, plan, Target(kept, left, gone), retry=False)
    return plan


def plan_rule_drop(host: DebState, place: Place) -> Plan:
    """What taking away the rule at a place would write, whoever wrote it.

    Raises Refusal where none stands there or velpin cannot take it away, HostFileError where
    the file is not understood.
    """
    plan = Plan(f"velpin rules drop {place}", f"drop the rule at {place}")
    text = decode(host.tree.read(place.file) or b"")
    if place == host.conf.place("APT::Default-Release"):
        plan.propose(host.tree, _without_lines(place.file, _without_setting(text, place)))
        return plan
    if place.file == host.record_file:
        raise Refusal(
            f"a hold stands in the host's own record ({place.file}); velpin does not change that",
            "the host's own tools take a hold back",
        )
    places = [record.place for record in host.preferences.records]
    places += [note.place for note in host.preferences.notes]
    if place.file not in {one.file for one in places}:
        raise _no_rule_at(place)
    check_understood(place.file, text)
    for stanza in read_stanzas(text):
        if stanza.line <= place.line < stanza.end:
            wish = wish_of(stanza)
            if wish:
                return plan_lift(host, [wish])
            new = without_records(text, [stanza.line])
            plan.propose(host.tree, _without_lines(place.file, new))
            return plan
    raise _no_rule_at(place)


def _no_rule_at(place: Place) -> Refusal:
    return Refusal(f"there is no rule at {place}", "velpin rules lists them, with their places")


def _without_setting(text: str, place: Place) -> str:
    """A configuration without the line of the target release; Refusal where more stands in it."""
    lines = split_lines(text)
    if not _TARGET_ALONE.fullmatch(lines[place.line - 1]):
        raise Refusal(
            f"more than the target release stands at {place}, and velpin does not rewrite that",
            "take it away by hand",
        )
    return "".join([*lines[: place.line - 1], *lines[place.line :]])


def _without_lines(file: str, left: str) -> dict[str, bytes | None]:
    """The edit to what is left of a file; one with nothing left is removed."""
    return {file: encode(left) if left.strip() else None}


def _refuse_broken(host: DebState) -> None:
    """A host whose files its installer refuses is to be put right first."""
    problem = host.refusal()
    if isinstance(problem, HostFileError):
        raise problem


# -- compiling ---------------------------------------------------------------------------


def _check_orders(host: DebState, target: Target) -> None:
    old = [
        order_of(host, wish)
        for wish, _ in target.kept
        if wish.kind == "prefer" and _means_something(host, wish)
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


def _means_something(host: DebState, wish: Wish) -> bool:
    """Whether every source that a wish names is on this host."""
    return is_there(host, wish.source, *wish.over, *wish.under)


def _compile(host: DebState, plan: Plan, target: Target, *, retry: bool = True) -> None:
    """Put into the plan what writing the target takes; wishes for sources are settled anew
    together, since each number depends on the others."""
    together = any(one.kind in _OF_SOURCES for one, _ in target.new) or any(
        one.wish.kind in _OF_SOURCES for one in target.gone
    )
    again = [
        pair for pair in target.kept
        if together and pair[0].kind in _OF_SOURCES and _means_something(host, pair[0])
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


def _judge(host: DebState, plan: Plan, target: Target, *, foremost: bool) -> None:
    """See whether the plan does what was wished, and leaves standing what was wished before."""
    after = host.with_edits(plan.edits)
    for wish, _ in target.new:
        found = verdict(after, wish)
        if not found.holds:
            plan.unmet = found
            plan.error = _contradicted_by(after, plan, wish, found)
            if not plan.error:
                plan.ways_out += _ways_out(host, wish, found, foremost=foremost)
            return
    for wish, _ in target.kept:
        if (
            _means_something(host, wish)
            and not verdict(after, wish).holds
            and verdict(host, wish).holds
        ):
            plan.error = _contradiction(plan.wishes[0], wish)
            return


def _contradicted_by(after: DebState, plan: Plan, wish: Wish, found: Verdict) -> Refusal | None:
    """The refusal where the rule that wins is a wish made before."""
    rival = places(standing(after)).get(found.rival) if found.rival else None
    return _contradiction(wish, rival) if rival and rival not in plan.wishes else None


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
    edits = _edits_without_rule(host, found.rival)
    if edits and _would_hold(host.with_edits(edits), wish, foremost=foremost):
        facts = {"place": str(found.rival)}
        yield WayOut(f"velpin rules drop {found.rival}", Reason("rule-gone", facts))


def _edits_without_rule(host: DebState, place: Place) -> dict[str, bytes | None]:
    """The edits that take a rule away; none where that cannot be."""
    try:
        return plan_rule_drop(host, place).edits
    except VelpinError:
        return {}


def _would_hold(host: DebState, wish: Wish, *, foremost: bool) -> bool:
    file = main_file(host) if foremost else own_file(host)
    plan = Plan("", "")
    try:
        target = merged(host, standing(host), [(wish, file)])
        _compile(host, plan, target)
    except (Refusal, HostFileError):
        return False
    return all(verdict(host.with_edits(plan.edits), one).holds for one, _ in target.new)
